import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { renderHook, waitFor } from '@testing-library/react'
import type { ReactNode } from 'react'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { encodeTable, tableOf } from '../test.table'
import { takeRun, useRuns, useTable } from './queries'
import { Answer, request } from './request'
import { cellOf, columnOf, decodeTable, joinTables, markOf, marksOf, settledRows, sortedRows } from './table'
import type { Run } from './types'

afterEach(() => vi.unstubAllGlobals())

const run = (id: number, more: Partial<Run> = {}) => ({ run: id, version: 1, bench: 'drum', state: 'running', evaluations: 0, ...more }) as Run
const answer = (body: unknown, status = 200) => new Response(JSON.stringify(body), { status })

describe('request', () => {
  it('sends JSON and reads it', async () => {
    const fetch = vi.fn(async () => answer({ run: 3 }))
    vi.stubGlobal('fetch', fetch)
    expect(await request('POST', '/v1/x', { study: 'best' })).toEqual({ run: 3 })
    expect(fetch).toHaveBeenCalledWith('/v1/x', { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: '{"study":"best"}' })
  })
  it('throws what the service says', async () => {
    vi.stubGlobal('fetch', async () => answer({ title: 'No', status: 409, detail: 'the run is finished' }, 409))
    await expect(request('GET', '/v1/x')).rejects.toThrow('the run is finished')
  })
  it('throws a sentence where the answer is no JSON', async () => {
    vi.stubGlobal('fetch', async () => new Response('<html>', { status: 502 }))
    await expect(request('GET', '/v1/x')).rejects.toBeInstanceOf(Answer)
    await expect(request('GET', '/v1/x')).rejects.toThrow('The service answered 502.')
  })
})

describe('a run that has changed', () => {
  it('is put into the list and on its page', () => {
    const queries = new QueryClient()
    queries.setQueryData(['runs', 'drum'], [run(2), run(1)])
    queries.setQueryData(['run', 2], run(2, { changes: ['load: 1 -> 2'], newest: 4 }))
    takeRun(queries, run(2, { version: 3, evaluations: 9 }))
    takeRun(queries, run(2, { version: 2, evaluations: 5 })) // an answer that comes late undoes nothing
    takeRun(queries, run(3))
    expect(queries.getQueryData<Run[]>(['runs', 'drum'])!.map((r) => [r.run, r.evaluations])).toEqual([[3, 0], [2, 9], [1, 0]])
    expect(queries.getQueryData<Run>(['run', 2])).toMatchObject({ evaluations: 9, changes: ['load: 1 -> 2'], newest: 4 })
  })
  it('is not undone by a list that was asked before, and comes late', async () => {
    const queries = new QueryClient()
    let send: (response: Response) => void = () => {}
    vi.stubGlobal('fetch', () => new Promise<Response>((resolve) => (send = resolve)))
    queries.setQueryData(['runs', 'drum'], [run(2, { version: 1 })])
    const wrapper = ({ children }: { children: ReactNode }) => <QueryClientProvider client={queries}>{children}</QueryClientProvider>
    const { result } = renderHook(() => useRuns('drum'), { wrapper })
    await waitFor(() => expect(result.current.isFetching).toBe(true))
    takeRun(queries, run(2, { version: 5, state: 'finished' }))
    send(answer({ runs: [run(3), run(2, { version: 2, state: 'queued' })] }))
    await waitFor(() => expect(result.current.data?.map((r) => [r.run, r.state])).toEqual([[3, 'running'], [2, 'finished']]))
  })
  it('leaves a list alone that was never asked for', () => {
    const queries = new QueryClient()
    takeRun(queries, run(3))
    expect(queries.getQueryData(['runs', 'drum'])).toBeUndefined()
  })
})

const named = [{ name: 'a', kind: 'input' as const, unit: 'mm' }, { name: 'pad', kind: 'input' as const, words: ['soft', 'hard'] }, { name: 'cost', kind: 'value' as const }]
const tableWith = (evaluations: number[]) => tableOf(evaluations.map((n) => ({ evaluation: n, values: [n / 3, n % 2, 10 - n] })), named)

describe('a table', () => {
  it('is read to the last bit', () => {
    const read = decodeTable(encodeTable(tableWith([1, 2, 3])))
    expect(read).toEqual(tableWith([1, 2, 3]))
    expect(columnOf(read, 'a').numbers[1]).toBe(2 / 3)
    expect(cellOf(columnOf(read, 'pad'), 0)).toBe('hard')
    expect(() => columnOf(read, 'b')).toThrow('the table has no column b')
  })
  it('knows the mark of each evaluation', () => {
    const table = tableOf([{ evaluation: 1, values: [] }, { evaluation: 2, values: [], feasible: false }, { evaluation: 3, values: [], state: 'not tried' }, { evaluation: 4, values: [], state: 'timed out', reason: 'it hung' }], [])
    expect([...marksOf(table)]).toEqual([0, 1, 2, 3])
    expect([0, 1, 2, 3].map((row) => markOf(table, row))).toEqual(['feasible', 'infeasible', 'untried', 'failed'])
    expect(decodeTable(encodeTable(table)).reasons).toEqual({ 4: 'it hung' })
  })
  it('is sorted, what has no number last either way', () => {
    const table = tableOf([[3], [undefined], [1], [3], [2]].map((values, i) => ({ evaluation: i + 1, values })), [{ name: 'cost', kind: 'value' }])
    expect([...sortedRows(table, columnOf(table, 'cost'), false)]).toEqual([2, 4, 0, 3, 1])
    expect([...sortedRows(table, columnOf(table, 'cost'), true)]).toEqual([0, 3, 4, 2, 1])
  })
  it('is joined behind what is settled', () => {
    const first = tableWith([1, 2, 4])
    expect(settledRows(first)).toBe(2)
    const joined = joinTables(first, 2, tableWith([3, 4, 5]))
    expect([...columnOf(joined, 'evaluation').numbers]).toEqual([1, 2, 3, 4, 5])
    expect(settledRows(joined)).toBe(5)
  })
})

describe('the table of a run', () => {
  it('asks only for what is behind the first gap', async () => {
    const queries = new QueryClient()
    const wrapper = ({ children }: { children: ReactNode }) => <QueryClientProvider client={queries}>{children}</QueryClientProvider>
    const served = (numbers: number[]) => (path: string) => new Response(encodeTable(tableWith(numbers.filter((n) => n > Number(new URL(path, 'http://x').searchParams.get('after'))))))
    const fetch = vi.fn(async (path: string) => served([1, 2, 4])(path))
    vi.stubGlobal('fetch', fetch)
    const { result, rerender } = renderHook(({ evaluations }) => useTable(run(7, { evaluations })), { wrapper, initialProps: { evaluations: 3 } })
    const numbers = () => result.current.data && [...columnOf(result.current.data, 'evaluation').numbers]
    await waitFor(() => expect(numbers()).toEqual([1, 2, 4]))
    fetch.mockImplementation(async (path: string) => served([1, 2, 3, 4, 5])(path))
    rerender({ evaluations: 5 })
    await waitFor(() => expect(numbers()).toEqual([1, 2, 3, 4, 5]))
    expect(fetch.mock.calls.map(([path]) => path)).toEqual(['/v1/runs/7/columns?after=0', '/v1/runs/7/columns?after=2'])
  })
})
