import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { renderHook, waitFor } from '@testing-library/react'
import type { ReactNode } from 'react'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { takeRun, usePoints } from './queries'
import { Answer, request } from './request'
import type { Point, Run } from './types'

afterEach(() => vi.unstubAllGlobals())

const run = (id: number, more: Partial<Run> = {}) => ({ run: id, bench: 'drum', state: 'running', evaluations: 0, ...more }) as Run
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
    takeRun(queries, run(2, { evaluations: 9 }))
    takeRun(queries, run(3))
    expect(queries.getQueryData<Run[]>(['runs', 'drum'])!.map((r) => [r.run, r.evaluations])).toEqual([[3, 0], [2, 9], [1, 0]])
    expect(queries.getQueryData<Run>(['run', 2])).toMatchObject({ evaluations: 9, changes: ['load: 1 -> 2'], newest: 4 })
  })
  it('leaves a list alone that was never asked for', () => {
    const queries = new QueryClient()
    takeRun(queries, run(3))
    expect(queries.getQueryData(['runs', 'drum'])).toBeUndefined()
  })
})

describe('the points of a run', () => {
  const point = (evaluation: number): Point => ({ evaluation, state: 'ok', design: [evaluation] })
  const served = (numbers: number[]) => (path: string) => {
    const query = new URL(path, 'http://x').searchParams
    const after = Number(query.get('after'))
    return answer({ inputs: ['a'], columns: [], points: numbers.filter((n) => n > after).map(point) })
  }
  it('asks only for what is behind the first gap', async () => {
    const queries = new QueryClient()
    const wrapper = ({ children }: { children: ReactNode }) => <QueryClientProvider client={queries}>{children}</QueryClientProvider>
    const fetch = vi.fn(async (path: string) => served([1, 2, 4])(path))
    vi.stubGlobal('fetch', fetch)
    const { result, rerender } = renderHook(({ evaluations }) => usePoints(run(7, { evaluations })), { wrapper, initialProps: { evaluations: 3 } })
    await waitFor(() => expect(result.current.data?.points.map((p) => p.evaluation)).toEqual([1, 2, 4]))
    fetch.mockImplementation(async (path: string) => served([1, 2, 3, 4, 5])(path))
    rerender({ evaluations: 5 })
    await waitFor(() => expect(result.current.data?.points.map((p) => p.evaluation)).toEqual([1, 2, 3, 4, 5]))
    expect(fetch.mock.calls.map(([path]) => path)).toEqual(['/v1/runs/7/points?limit=10000&after=0', '/v1/runs/7/points?limit=10000&after=2'])
  })
})
