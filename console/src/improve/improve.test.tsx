import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { cleanup, fireEvent, render, screen, waitFor } from '@testing-library/react'
import { afterEach, expect, test, vi } from 'vitest'
import type { Bench, Requirement, Result } from '../api/types'
import { Adopt } from './Adopt'
import { selectionOf } from '../api/selection'
import { Front } from './Front'
import { Answer, Checks, Reached, Spread } from './Answer'
import { gridOf, linesOf, numericInputs } from './cells'
import { accepted, distanceFromIdeal, ranked, rangesOf } from './front'
import { keptWithReserve, missedBy, pricePaid, worstViolation } from './violation'
import { tableOf } from '../test.table'

vi.mock('../parts/Chart', () => ({ Chart: ({ label }: { label: string }) => <i role="img" aria-label={label} /> })) // it draws on a canvas
vi.mock('../explore/Parallel', () => ({ Parallel: ({ columns }: { columns: { name: string }[] }) => <i role="img" aria-label={`lines of ${columns.map((c) => c.name).join()}`} /> }))

vi.mock('../parts/Relief', () => ({ Relief: ({ label, points }: { label: string; points: unknown[] }) => <i role="img" aria-label={`relief of ${label}: ${points.length} points`} /> }))

afterEach(cleanup)

/** A table of values that are feasible, or not. */
const values = (columns: Record<string, number[]>, feasible?: number[]) =>
  tableOf(
    Object.values(columns)[0]!.map((_, row) => ({ evaluation: row + 1, values: Object.values(columns).map((column) => column[row]), feasible: feasible ? feasible[row] === 1 : true })),
    Object.keys(columns).map((name) => ({ name, kind: 'value' as const })),
  )

const requirement = (over: Partial<Requirement>): Requirement => ({ id: 'R1', says: '', of: 'sag', kind: 'at_most', limits: [10], limit: 'at most 10', decisive: true, ...over })

test.each<[Partial<Requirement>, number, number]>([
  [{}, 12, 0.2],
  [{}, 9, 0],
  [{ kind: 'at_least', limits: [4] }, 3, 0.25],
  [{ kind: 'between', limits: [2, 5] }, 6, 0.2],
  [{ kind: 'equals', limits: [8], within: 2 }, 11, 0.1],
  [{ limits: [0] }, 3, 3],
])('a requirement %o is missed by %d with a share of %d', (over, value, share) => {
  expect(missedBy(requirement(over), value)).toBeCloseTo(share, 12)
})

test('the worst violation is that of the requirement that is missed most, wishes left out', () => {
  const table = values({ sag: [12, 9, 30], mass: [1, 3, 1] })
  const limits = [requirement({}), requirement({ id: 'R2', of: 'mass', limits: [2] }), requirement({ id: 'R3', of: 'mass', limits: [0.1], decisive: false })]
  expect([...worstViolation(table, limits)!.numbers]).toEqual([20, 50, 200])
  expect(worstViolation(table, [])).toBeUndefined()
})

test('the price of soft requirements is paid for what they are missed by, reserve and all', () => {
  const table = values({ sag: [12, 9, 9.5], mass: [1, 3, NaN] })
  const limits = [requirement({ price: 3, reserve: 1, decisive: false }), requirement({ id: 'R2', of: 'mass', limits: [2], price: 10, decisive: false }), requirement({ id: 'R3', of: 'mass', limits: [0.1] })]
  expect([...pricePaid(table, limits)!.numbers]).toEqual([9, 10, NaN])
  expect(pricePaid(table, [requirement({})])).toBeUndefined()
})

test('a design is adopted once its changes were seen', async () => {
  const orders: { path: string; body: unknown }[] = []
  vi.stubGlobal('fetch', async (path: string, init: { body: string }) => {
    orders.push({ path, body: JSON.parse(init.body) as unknown })
    const written = init.body.includes('write')
    return new Response(JSON.stringify(path.endsWith('/runs') ? { run: 9, bench: 'drum' } : { run: 4, evaluation: 7, changes: ['radius: nominal 0.2 -> 0.15'], written, revision: written ? 3 : 2 }))
  })
  render(
    <QueryClientProvider client={new QueryClient()}>
      <Adopt bench={{ name: 'drum', file: 'drum.bench.yaml' } as Bench} of={{ run: 4, evaluation: 7 }} onClose={() => {}} />
    </QueryClientProvider>,
  )
  await screen.findByText('radius: nominal 0.2 -> 0.15')
  expect(orders.map((o) => o.body)).toEqual([{ run: 4, evaluation: 7 }])
  fireEvent.click(screen.getByText('Write into the bench file'))
  await screen.findByText(/is revision 3/)
  await waitFor(() => expect(orders.at(-1)).toEqual({ path: '/v1/benches/drum/runs', body: { study: 'try', fresh: true } }))
  expect(orders[1]!.body).toEqual({ run: 4, evaluation: 7, write: true })
  expect(screen.queryByText('Write into the bench file')).toBeNull()
})

const traded = (evaluation: number, mass: number, bend: number) => ({ evaluation, inputs: { width: mass, load: 3 }, values: { mass, bend }, feasible: true, requirements: {}, objective: mass })
const front = [traded(4, 10, 12), traded(9, 20, 30), traded(2, 80, 46)]
const tradeoff = { says: '3 designs of which none is better in all objectives', objectives: ['mass', 'bend'], most: [false, true], count: 3, compromise: 9, knee: true, reference: [88, 8], hypervolume: 7 }

const shownFront = () => {
  const bench = { name: 'beam', inputs: [{ name: 'width' }, { name: 'load' }] } as unknown as Bench
  render(
    <QueryClientProvider client={new QueryClient()}>
      <Front bench={bench} run={31} table={values({ mass: [10, 20, 80], bend: [12, 30, 46] })} front={front} tradeoff={tradeoff} settled unitOf={(name) => (name === 'mass' ? 'kg' : undefined)} />
    </QueryClientProvider>,
  )
}

const evaluationsShown = () => screen.getAllByRole('row').flatMap((row) => /^\d/.exec(row.querySelectorAll('td')[1]?.textContent ?? '') && row.querySelectorAll('td').length > 4 ? [row.querySelectorAll('td')[1]!.textContent] : [])

test('a front is listed with its knee, and a row selects its design', () => {
  vi.stubGlobal('fetch', async () => new Response(JSON.stringify({ runs: [] })))
  shownFront()
  expect(screen.getByText(/^3 designs of which none is better in all objectives\./)).toBeTruthy()
  expect(screen.getAllByRole('columnheader').map((e) => e.textContent)).toEqual(['mark', 'evaluation', 'mass, kg', 'bend', 'width', 'what it is'])
  fireEvent.click(screen.getByText('the knee'))
  expect([...selectionOf(31)]).toEqual([9])
})

test('limits thin a front out, and weights rank what is left', () => {
  vi.stubGlobal('fetch', async () => new Response(JSON.stringify({ runs: [] })))
  shownFront()
  expect(evaluationsShown()).toEqual(['4', '9', '2'])
  fireEvent.change(screen.getByLabelText('weight of bend'), { target: { value: '9' } })
  expect(evaluationsShown()).toEqual(['2', '9', '4'])
  screen.getByText('the nearest by your weights')
  fireEvent.change(screen.getByLabelText('mass that would be accepted'), { target: { value: '100' } })
  expect(evaluationsShown()).toEqual(['9', '4'])
  screen.getByText('at most 45')
  screen.getByText(/2 of 3 designs are left/)
  fireEvent.click(screen.getByText('Take all again'))
  expect(evaluationsShown()).toEqual(['4', '9', '2'])
})

test('the front of another run stands beside, by the same objectives', async () => {
  const asked: string[] = []
  vi.stubGlobal('fetch', async (path: string) => {
    asked.push(path)
    return new Response(JSON.stringify(path.includes('/front') ? { front, tradeoff, growth: [{ evaluation: 3, share: 0.5 }, { evaluation: 6, share: 0.95 }, { evaluation: 8, share: 1 }] } : { runs: [{ run: 7, bench: 'beam', usable: 9, question: { study: 'look', seed: 2 } }] }))
  })
  shownFront()
  fireEvent.change(await screen.findByLabelText("another run's front beside it"), { target: { value: '7' } })
  await screen.findByText('plum: the 3 designs of the front of run 7')
  await screen.findByText('Of its hypervolume 90 % was there after evaluation 6, 99 % after 8.')
  expect(asked.at(-1)).toBe('/v1/runs/7/front?minimize=mass&maximize=bend')
})

test('a front of three objectives is seen from all sides', () => {
  vi.stubGlobal('fetch', async () => new Response(JSON.stringify({ runs: [], front: [], growth: [] })))
  const three = front.map((d, i) => ({ ...d, values: { ...d.values, cost: 3 - i } }))
  render(
    <QueryClientProvider client={new QueryClient()}>
      <Front
        bench={{ name: 'beam', inputs: [] } as unknown as Bench} run={31} table={values({ mass: [10, 20, 80], bend: [12, 30, 46], cost: [3, 2, 1] })} front={three}
        tradeoff={{ ...tradeoff, objectives: ['mass', 'bend', 'cost'], most: [false, true, false] }} settled unitOf={() => undefined}
      />
    </QueryClientProvider>,
  )
  screen.getByLabelText('relief of the front of mass, bend and cost: 3 points')
  screen.getByLabelText('bend over mass')
  fireEvent.change(screen.getByLabelText('upwards'), { target: { value: '2' } })
  screen.getByLabelText('cost over mass')
})

test('a ranking is by shares of the ranges along the front', () => {
  const ranges = rangesOf(front, tradeoff.objectives)
  expect(ranges).toEqual([[10, 80], [12, 46]])
  expect(distanceFromIdeal(front[1]!, tradeoff, ranges, [1, 2])).toBeCloseTo(Math.hypot(10 / 70, (2 * 16) / 34), 12)
  expect(accepted(front, tradeoff, [undefined, 30]).map((d) => d.evaluation)).toEqual([9, 2])
  expect(ranked(front, tradeoff, ranges, [1, 0]).map((d) => d.evaluation)).toEqual([4, 9, 2])
})

test('a design without its reserve is not the best so far where others keep theirs', () => {
  const table = values({ sag: [9.5, 8, 12] }, [1, 1, 0])
  expect([...keptWithReserve(table, [requirement({ reserve: 1 })])]).toEqual([0, 1, 0])
  expect([...keptWithReserve(table, [requirement({ reserve: 9 })])]).toEqual([1, 1, 0])
})

const cell = (turns: number, load: number, objective?: number) => ({
  at: { turns, load }, says: '', used: 1, state: objective === undefined ? ('infeasible' as const) : ('finished' as const),
  best: { evaluation: 1, inputs: {}, values: {}, feasible: true, requirements: {}, objective: objective ?? 1 },
})

test('cells without a feasible design leave lines and maps open', () => {
  const cells = [cell(3, 1, 5), cell(4, 1), cell(5, 1, 7), cell(3, 2, 9)]
  const lines = linesOf(cells, 'turns', '')
  expect(lines.map((l) => l.name)).toEqual(['load 1', 'load 2'])
  expect(lines[0]!.y).toEqual([5, NaN, 7])
  const grid = gridOf(cells, 'turns', 'load', '')
  expect([grid.x, grid.y, grid.z]).toEqual([[3, 4, 5], [1, 2], [[5, NaN, 7], [9, NaN, NaN]]])
  expect(grid.cells[1]![1]).toBeUndefined()
  expect(numericInputs(cells)).toEqual(['turns', 'load'])
  expect(numericInputs([cell(3, 1), cell(4, 1)])).toEqual(['turns'])
})

test('the answer says what holds the design, and doubts a guess', () => {
  const optimum: NonNullable<Result['optimum']> = {
    says: ['The upper end of width holds it, 40 mm, which is a guess: widen it?; 1 mm more range would save about 2 EUR of cost.'],
    holds: [{ input: 'width', end: 'upper', at: 40, guess: true, price: 2, says: 'the upper end of width holds it, 40 mm, which is a guess: widen it?; 1 mm more range would save about 2 EUR of cost' }],
    places: [{ evaluation: 31, inputs: { width: 12 }, objective: 9.5, feasible: true, searches: 2 }],
  }
  render(<Answer optimum={optimum} watched={['R6 got worse']} />)
  expect(screen.getByText(/upper end of width/).className).toBe('attention')
  screen.getByText('R6 got worse')
  screen.getByText('9.5')
})

test('a stand-in is shown beside the solver', () => {
  render(<Checks checks={[{ evaluation: 2, predicted: { mass: 5, gap: 2 }, computed: {}, agrees: false }, { evaluation: 3, predicted: { mass: 6, gap: 1.5 }, computed: { mass: 6.25, gap: 1.5 }, agrees: false }, { evaluation: 4, predicted: { mass: 7, gap: 1.5 }, computed: { mass: 7, gap: 1.5 }, agrees: true }]} />)
  const rows = screen.getAllByRole('row').map((row) => [...row.querySelectorAll('td')].slice(1).map((cell) => cell.textContent))
  expect(rows.slice(1)).toEqual([
    ['2', '2', '5', ''], ['computed', '–', '–', 'the solver failed'], ['3', '1.5', '6', ''], ['computed', '1.5', '6.25', 'they differ'], ['4', '1.5', '7', ''], ['computed', '1.5', '7', 'they agree'],
  ])
})

test('seeds and targets are shown with what they came to', () => {
  render(
    <>
      <Spread spread={{ says: 'all 2 searches ended at an objective of 5', ends: [{ seed: 1, objective: 5, evaluation: 9, feasible: true, used: 9, says: 'converged' }] }} />
      <Reached reached={[{ of: 'gap', to: 2, value: 2.5, reached: false }]} />
    </>,
  )
  screen.getByText(/all 2 searches/)
  screen.getByText('0.5')
})
