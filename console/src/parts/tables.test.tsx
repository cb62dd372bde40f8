import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { act, cleanup, fireEvent, render, screen, waitFor, within } from '@testing-library/react'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { Answer } from '../api/request'
import type { Bench, Input, Judgment, Requirement } from '../api/types'
import { select, selectionOf } from '../api/selection'
import { tableOf } from '../test.table'
import { EvaluationsTable } from './EvaluationsTable'
import { Failures } from './Failures'
import { InputsTable } from './InputsTable'
import { Remarks } from './Remarks'
import { RequirementsTable } from './RequirementsTable'
import { StartStudy } from './StartStudy'
import { Trouble } from './Trouble'

afterEach(() => {
  cleanup()
  vi.unstubAllGlobals()
})

const requirement = (id: string, limit: number): Requirement => ({
  id, says: `target ${id}`, of: id.toLowerCase(), unit: 'g', kind: 'at_most', limits: [limit], limit: `at most ${limit} g`, decisive: id !== 'R3',
})
const judged: Record<string, Judgment> = {
  R1: { verdict: 'met', value: 1, margin: 1 }, R2: { verdict: 'missed', value: 11, margin: -1 }, R3: { verdict: 'met_without_reserve', value: 9.9, margin: 0.1 },
}
const firstCells = () => screen.getAllByRole('row').slice(1).map((row) => within(row).getAllByRole('cell')[0]!.textContent)

describe('RequirementsTable', () => {
  const all = [requirement('R1', 2), requirement('R2', 10), requirement('R3', 10)]
  it('shows value, limit and verdict of each', () => {
    render(<RequirementsTable requirements={all} judged={judged} />)
    const row = screen.getByText('R2 target R2').closest('tr')!
    expect(within(row).getByText('at most 10 g')).toBeTruthy()
    expect(row.textContent).toContain('11 g')
    expect(within(row).getByText('missed')).toBeTruthy()
    expect(screen.getByText('met without its reserve (a wish)')).toBeTruthy()
  })
  it('puts the least margin first, as a share of the limit', () => {
    render(<RequirementsTable requirements={all} judged={judged} leastMarginFirst />)
    expect(firstCells()).toEqual(['R2 target R2', 'R3 target R3', 'R1 target R1'])
  })
  it('says nothing where nothing is known', () => {
    render(<RequirementsTable requirements={all} judged={{}} />)
    expect(screen.getAllByText(/not shown/)).toHaveLength(3)
  })
})

describe('InputsTable', () => {
  const inputs: Input[] = [
    { name: 'rate', nominal: 2, unit: 'N/mm', varied: true, says: '', range: { lower: 1, upper: 8, upper_guess: true } },
    { name: 'coils', nominal: 6, varied: true, says: '', range: { lower: 3, upper: 12 } },
    { name: 'load', nominal: 40, varied: false, says: '' },
    { name: 'width', nominal: 1, varied: false, says: '' },
    { name: 'pad', nominal: 'organic', varied: true, says: '', choices: { words: ['organic', 'ceramic'] } },
  ]
  it('names guessed ends, moves, and held inputs that were changed', () => {
    render(<InputsTable inputs={inputs} design={{ rate: 8, coils: 9, load: 40, width: 2, pad: 'ceramic' }} ends={[{ input: 'rate', end: 'upper', value: 8, guess: true, says: '' }]} name="best" />)
    expect(firstCells()).toEqual(['rate', 'coils', 'width', 'pad'])
    expect(screen.getByText('ceramic')).toBeTruthy()
    expect(screen.getByText('at its guessed upper end').className).toContain('warn')
    expect(screen.getByText('+50 %')).toBeTruthy()
  })
})

describe('EvaluationsTable', () => {
  const names = [{ name: 'a', kind: 'input' as const }, { name: 'pad', kind: 'input' as const, words: ['soft', 'hard'] }, { name: 'cost', kind: 'value' as const }]
  const first = [
    { evaluation: 1, values: [3, 0, 30] }, { evaluation: 2, state: 'failed', values: [1, 1, undefined], reason: 'no licence' }, { evaluation: 3, values: [2, 1, 10], feasible: false },
  ]
  const all = tableOf([...first, ...Array.from({ length: 12 }, (_, i) => ({ evaluation: 4 + i, values: [5, 0, 50 + i] }))], names)
  const few = tableOf(first, names)
  const numbers = () => screen.getAllByRole('row').slice(1).map((row) => within(row).getAllByRole('cell')[1]!.textContent)
  it('begins with the newest, in pages', () => {
    render(<EvaluationsTable table={all} run={4} />)
    expect(numbers()).toHaveLength(12)
    expect(numbers()[0]).toBe('15')
    fireEvent.click(screen.getByText('Next'))
    expect(numbers()).toEqual(['3', '2', '1'])
    expect(screen.getByTitle('no licence').textContent).toContain('hard')
    expect(screen.getByTitle('feasible')).toBeTruthy()
    expect(screen.getByTitle('infeasible')).toBeTruthy()
    fireEvent.click(screen.getByText('Previous'))
    expect(numbers()[0]).toBe('15')
  })
  it('sorts by a click, what has no value last, and begins at the first page', () => {
    render(<EvaluationsTable table={few} run={4} />)
    fireEvent.click(screen.getByText('cost'))
    const descending = numbers()
    fireEvent.click(screen.getByText(/^cost/))
    expect([descending, numbers()]).toContainEqual(['3', '1', '2'])
    expect([descending, numbers()]).toContainEqual(['1', '3', '2'])
    cleanup()
    render(<EvaluationsTable table={all} run={4} />)
    fireEvent.click(screen.getByText('Next'))
    fireEvent.click(screen.getByText('a'))
    expect(screen.getByText(/^1 to 12 of 15/)).toBeTruthy()
  })
  it('shows one selection with the figures', () => {
    render(<EvaluationsTable table={few} run={4} />)
    fireEvent.click(screen.getAllByText('30')[0]!)
    expect([...selectionOf(4)]).toEqual([1])
    fireEvent.click(screen.getByTitle('no licence'), { ctrlKey: true })
    expect([...selectionOf(4)].sort()).toEqual([1, 2])
    expect(screen.getByTitle('no licence').querySelector('button[aria-pressed]')?.getAttribute('aria-pressed')).toBe('true')
    expect([...selectionOf(5)]).toEqual([])
    act(() => select(4, [3]))
    expect(screen.getByTitle('no licence').querySelector('button[aria-pressed]')?.getAttribute('aria-pressed')).toBe('false')
    fireEvent.click(screen.getByText('Select none'))
    expect(selectionOf(4).size).toBe(0)
  })
})

describe('StartStudy', () => {
  const bench = {
    name: 'drum', inputs: [{ name: 'rate', nominal: 2, varied: true, says: '1 to 8', range: { lower: 1, upper: 8 } }, { name: 'load', nominal: 3, varied: false, says: 'held' }, { name: 'pad', nominal: 'organic', varied: true, says: '', choices: { words: ['organic', 'ceramic'] } }],
    studies: [{ name: 'look', kind: 'sample', says: '10 points', moves: [] }, { name: 'best', kind: 'optimize', says: 'least', moves: ['rate', 'pad'] }, { name: 'trade', kind: 'optimize', says: '', later: 'not yet', moves: [] }],
  } as unknown as Bench
  const show = (onStarted: () => void) =>
    render(
      <QueryClientProvider client={new QueryClient()}>
        <StartStudy bench={bench} onClose={() => {}} onStarted={onStarted} />
      </QueryClientProvider>,
    )
  it('sends what was filled in, and nothing else', async () => {
    const fetch = vi.fn(async () => new Response(JSON.stringify({ run: 9, bench: 'drum' })))
    vi.stubGlobal('fetch', fetch)
    const started = vi.fn()
    show(started)
    expect(screen.getByLabelText<HTMLSelectElement>('Study').value).toBe('best')
    expect(screen.getByText<HTMLOptionElement>('trade: not yet').disabled).toBe(true)
    fireEvent.change(screen.getByLabelText('Seed'), { target: { value: '7' } })
    fireEvent.change(screen.getByLabelText('rate'), { target: { value: 'hold' } })
    expect(screen.getByLabelText<HTMLInputElement>('rate value').value).toBe('2')
    fireEvent.change(screen.getByLabelText('rate value'), { target: { value: '2.5' } })
    fireEvent.change(screen.getByLabelText('pad'), { target: { value: 'hold' } })
    fireEvent.change(screen.getByLabelText('pad value'), { target: { value: 'ceramic' } })
    fireEvent.change(screen.getByLabelText('load'), { target: { value: 'move' } })
    expect(screen.getByText<HTMLButtonElement>('Start').disabled).toBe(true)
    fireEvent.change(screen.getByLabelText('load lower end'), { target: { value: '2' } })
    fireEvent.change(screen.getByLabelText('load upper end'), { target: { value: '4' } })
    fireEvent.click(screen.getByText('Start'))
    await waitFor(() => expect(started).toHaveBeenCalled())
    const [path, init] = fetch.mock.calls[0] as unknown as [string, { body: string }]
    expect(path).toBe('/v1/benches/drum/runs')
    expect(JSON.parse(init.body)).toEqual({ study: 'best', seed: 7, hold: { rate: 2.5, pad: 'ceramic' }, free: { load: { lower: 2, upper: 4 } } })
  })
  it('shows why the service refuses', async () => {
    vi.stubGlobal('fetch', async () => new Response(JSON.stringify({ title: '', status: 400, detail: 'the budget is too small' }), { status: 400 }))
    show(() => {})
    fireEvent.click(screen.getByText('Start'))
    await screen.findByText('the budget is too small')
  })
})

describe('Trouble', () => {
  it('lists mistakes in files by line', () => {
    const problems = [{ file: 'a.bench.yaml', line: 4, message: 'upside down' }]
    render(<Trouble error={new Answer({ title: '', status: 422, detail: 'x', problems })} />)
    expect(screen.getByRole('alert').textContent).toBe('a.bench.yaml, line 4: upside down')
  })
})

describe('Failures', () => {
  const reasons = [{ reason: 'no licence', count: 3, evaluation: 2 }, { reason: 'no mesh', count: 1, evaluation: 5 }]
  it('are grouped, and loud where the answer hangs on them', () => {
    const { container, rerender } = render(<Failures failures={{ says: '4 of 80 evaluations failed', doubt: false, reasons }} />)
    expect(container.textContent).toBe('4 of 80 evaluations failed.3 times, first in evaluation 2: no licenceonce, first in evaluation 5: no mesh')
    expect(container.firstElementChild!.className).toContain('calm')
    rerender(<Failures failures={{ says: '10 of 80 evaluations failed', doubt: true, reasons }} />)
    expect(container.firstElementChild!.className).not.toContain('calm')
  })
})

describe('Remarks', () => {
  it('are said one below the other, and nothing is where there are none', () => {
    const { container } = render(<Remarks remarks={[]} />)
    expect(container.innerHTML).toBe('')
    render(<Remarks remarks={['spare enters nothing', 'cost.xlsx is for LibreOffice']} />)
    expect(screen.getAllByRole('note').map((e) => e.textContent)).toEqual(['spare enters nothing', 'cost.xlsx is for LibreOffice'])
  })
})
