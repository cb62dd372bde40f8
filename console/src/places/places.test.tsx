import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { cleanup, fireEvent, render, screen, waitFor, within } from '@testing-library/react'
import { MemoryRouter, Outlet, Route, Routes } from 'react-router'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import type { Bench, Design, EvaluationDetail, NamedCandidate, Result, Run } from '../api/types'
import type { Place } from '../shell/Shell'
import { Decide } from './Decide'
import { Explore } from './Explore'
import { Improve } from './Improve'
import { Overview } from '../model/Overview'
import { nominalRun, objectiveAt, unitOf } from './place'
import { Prove } from './Prove'
import { encodeTable, tableOf } from '../test.table'

vi.mock('../parts/Chart', () => ({ Chart: ({ label }: { label: string }) => <i role="img" aria-label={label} /> })) // it draws on a canvas

const bench: Bench = {
  name: 'drum', title: 'Drum', folder: '/benches', file: 'drum.bench.yaml', revision: 2, changed: '2026-11-23T08:00:00Z',
  statement: 'Find\n  radius             0.1 to 0.5 m\nthat make mass (kg) least, such that\n  R1     length is at least 5 m\n', remarks: [], symbols: '  minimize    mass\n', solver: '2 formulas',
  inputs: [{ name: 'radius', nominal: 0.2, unit: 'm', varied: true, says: '0.1 to 0.5 m', range: { lower: 0.1, upper: 0.5 } }, { name: 'load', nominal: 800, varied: false, says: 'held at 800' }],
  outputs: [
    { name: 'mass', unit: 'kg', kind: 'value', says: '= 40*radius^2' }, { name: 'length', unit: 'm', kind: 'value', says: '= 2*radius' },
    { name: 'noise', label: 'Noise', unit: 'dB', kind: 'value', says: '' },
  ],
  requirements: [{ id: 'R1', says: 'Long enough', of: 'length', unit: 'm', kind: 'at_least', limits: [5], limit: 'at least 5 m', decisive: true }],
  studies: [{ name: 'look', kind: 'sample', says: '12 points', searches: false, moves: [] }, { name: 'light', kind: 'optimize', says: 'mass least', searches: true, moves: [], objective: 'mass', watch: ['noise'] }],
}

const best = (more: Partial<Design> = {}): Design => ({
  evaluation: 9, feasible: true, inputs: { radius: 0.4, load: 800 }, values: { mass: 6.4, length: 5.2, noise: 90 }, objective: 6.4,
  requirements: { R1: { verdict: 'met', value: 5.2, margin: 0.2 } }, ...more,
})

type Found = Partial<Pick<Result, 'best' | 'nominal' | 'at_ends' | 'sample' | 'failures' | 'front' | 'tradeoff' | 'scatter' | 'probabilities'>>

/** A run for the service that stands in, with what it has found. */
const run = (id: number, kind: string, { best, nominal, at_ends, sample, failures, front, tradeoff, scatter, probabilities, ...more }: Partial<Run> & Found = {}): Run & { found_parts: Found } => ({
  found_parts: { best, nominal, at_ends, sample, failures, front, tradeoff, scatter, probabilities }, version: 1, found: 1, derivatives: 0, headline: best && { evaluation: best.evaluation, feasible: best.feasible, objective: best.objective, misses: best.misses },
  run: id, bench: 'drum', revision: 2, question: { kind, study: kind === 'optimize' ? 'light' : kind === 'sample' ? 'look' : kind, seed: 1 }, state: 'finished',
  reason: 'the budget is used up', budget: 10, created: '', elapsed: 1, evaluations: 10, reused: 0, failed: 1, not_tried: 0, usable: 9, feasible: 4,
  ...more,
})

const detail: EvaluationDetail = {
  evaluation: 1, state: 'ok', design: [0.2], inputs: { radius: 0.2, load: 800 }, named: { mass: 1.6, length: 4, noise: 70 }, seconds: 0.012, curves: {},
  requirements: { R1: { verdict: 'missed', value: 4, margin: -1 } },
}

let candidates: NamedCandidate[] = []
let details: Record<string, EvaluationDetail> = {}
let posted: { path: string; body: unknown }[] = []
let served: ReturnType<typeof run>[] = []
let given: Bench = bench

beforeEach(() => {
  posted = []
  candidates = []
  details = {}
  vi.stubGlobal('fetch', async (path: string, init?: { method?: string; body?: string }) => {
    const answer = (body: unknown) => new Response(JSON.stringify(body))
    if (init?.method === 'POST') {
      posted.push({ path, body: init.body ? JSON.parse(init.body) : undefined })
      if (path.endsWith('/adoptions')) return answer({ run: 1, evaluation: 9, changes: ['radius: nominal 0.2 -> 0.4'], written: false, revision: 2 })
      return answer(run(99, 'verify', { state: 'queued' }))
    }
    if (init?.method === 'PUT' || init?.method === 'DELETE') {
      posted.push({ path, body: init.body ? JSON.parse(init.body) : undefined })
      return init.method === 'PUT' ? answer(candidates[0]) : new Response(null, { status: 204 })
    }
    if (path.startsWith('/v1/candidates')) return answer(candidates)
    if (/evaluations\/\d+$/.test(path)) return answer(details[path] ?? detail)
    if (/kept$/.test(path)) return answer([])
    if (/columns/.test(path)) return new Response(encodeTable(tableOf([{ evaluation: 1, values: [0.2, 1.6, 4, 70] }], [{ name: 'radius', kind: 'input' }, { name: 'mass', kind: 'value' }, { name: 'length', kind: 'value' }, { name: 'noise', kind: 'value' }])))
    if (/benches\/drum\?revision=/.test(path)) return answer(given)
    const id = Number(/runs\/(\d+)/.exec(path)?.[1])
    if (/result$/.test(path)) return answer({ run: id, ...served.find((r) => r.run === id)?.found_parts })
    return answer(served.find((r) => r.run === id))
  })
})

afterEach(() => {
  cleanup()
  vi.unstubAllGlobals()
})

/** Shows a place of the bench with some runs. */
function show(place: string, runs: ReturnType<typeof run>[], changed: Partial<Bench> = {}) {
  served = runs
  given = { ...bench, ...changed }
  const shared: Place = { bench: given, runs }
  render(
    <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
      <MemoryRouter initialEntries={[`/bench/drum/${place}`]}>
        <Routes>
          <Route path="/bench/:bench" element={<Outlet context={shared} />}>
            <Route path="model" element={<Overview />} />
            <Route path="explore" element={<Explore />} />
            <Route path="improve/:run?" element={<Improve />} />
            <Route path="decide" element={<Decide />} />
            <Route path="prove/:run?" element={<Prove />} />
          </Route>
        </Routes>
      </MemoryRouter>
    </QueryClientProvider>,
  )
}

const text = () => document.body.textContent ?? ''

describe('Model', () => {
  it('asks for the first evaluation', () => {
    show('model', [])
    expect(text()).toContain('It was not evaluated on this revision yet')
    fireEvent.click(screen.getByText('Evaluate'))
    return waitFor(() => expect(posted).toEqual([{ path: '/v1/benches/drum/runs', body: { study: 'try', fresh: false } }]))
  })
  it('shows the nominal evaluation and the problem in words', async () => {
    show('model', [run(1, 'try')])
    await screen.findByText('1 of 1 requirements is missed.')
    expect(text()).toContain('The solver took 12 ms.')
    expect(screen.getAllByText('R1').length).toBeGreaterThan(0)
    expect(text()).toContain('that make mass (kg) least, such that')
    expect(screen.getByText('Evaluate again')).toBeTruthy()
  })
  it('does not take an evaluation of another revision, or of another design, for the nominal', () => {
    const other = run(1, 'try', { revision: 1 })
    const changed = run(2, 'try')
    changed.question.design = { radius: 0.3 }
    expect(nominalRun(bench, [other, changed])).toBeUndefined()
    expect(nominalRun(bench, [other, run(3, 'try')])?.run).toBe(3)
  })
  it('shows mistakes in the files as they are now', () => {
    show('model', [], { problems: [{ file: 'drum.bench.yaml', line: 3, message: 'upside down' }] })
    expect(text()).toContain('shown is revision 2, the last good one')
    expect(text()).toContain('drum.bench.yaml, line 3: upside down')
  })
})

describe('Improve beside the objective', () => {
  const figures = () => screen.getAllByRole('img').map((e) => e.getAttribute('aria-label'))
  it('draws what a study watches and aims at, and what is paid', async () => {
    const requirements = [...bench.requirements, { id: 'R2', says: 'Quiet', of: 'noise', unit: 'dB', kind: 'at_most', limits: [60], limit: 'at most 60 dB', decisive: false, price: 2 }]
    const studies = bench.studies.map((s) => ({ ...s, targets: [{ of: 'length', to: 5.5 }], pays: ['R2'] }))
    show('improve/1', [run(1, 'optimize', { best: best() })], { requirements: requirements as Bench['requirements'], studies })
    await screen.findByText('noise by evaluation')
    expect(text()).toContain('length by evaluation a target')
    expect(figures()).toEqual(expect.arrayContaining(['mass by evaluation', 'noise by evaluation', 'length by evaluation', 'price paid by evaluation', 'worst violation by evaluation']))
    expect(text()).toContain('Price paid for soft requirements by evaluation beside the objective')
  })

  it('draws a front before all others where there is one', async () => {
    const front = [best(), best({ evaluation: 5, values: { mass: 9, length: 9, noise: 60 } })]
    const tradeoff = { says: '2 designs of which none is better in all objectives', objectives: ['mass', 'noise'], most: [false, false], count: 2, compromise: 5, knee: false, reference: [10, 95], hypervolume: 12 }
    show('improve/1', [run(1, 'optimize', { best: best(), front, tradeoff })])
    await screen.findByText(/^2 designs of which none is better in all objectives\./)
    expect(figures()).toContain('noise over mass')
    expect(text()).toContain('2 designs on the front')
    expect(screen.getByText('nearest to the best of each')).toBeTruthy()
  })

  it('makes a design the nominal one, or starts a study there', async () => {
    show('improve/1', [run(1, 'optimize', { best: best() })])
    fireEvent.click(await screen.findByText('Make it the nominal design'))
    await screen.findByText('Make evaluation 9 the nominal design')
    await waitFor(() => expect(posted).toContainEqual({ path: '/v1/benches/drum/adoptions', body: { run: 1, evaluation: 9 } }))
    fireEvent.click(screen.getByText('Cancel'))
    fireEvent.click(screen.getByText('Start a study at evaluation 9'))
    await screen.findByText('It starts at evaluation 9 of run 1.')
    const dialog = screen.getByRole('dialog')
    fireEvent.change(within(dialog).getByLabelText('load'), { target: { value: 'move' } })
    expect(within(dialog).getByText('both ends')).toBeTruthy()
    fireEvent.change(within(dialog).getByLabelText('load lower end'), { target: { value: '700' } })
    fireEvent.change(within(dialog).getByLabelText('load upper end'), { target: { value: '900' } })
    fireEvent.click(within(dialog).getByText('Start'))
    await waitFor(() => expect(posted).toContainEqual({ path: '/v1/benches/drum/runs', body: { study: 'light', hold: {}, free: { load: { lower: 700, upper: 900 } }, of: { run: 1, evaluation: 9 } } }))
  })
})

describe('Improve', () => {
  it('says what to do where there is no run', () => {
    show('improve', [])
    expect(text()).toContain('No run yet')
    expect(screen.getByText('Start a study')).toBeTruthy()
  })
  it('shows the newest search first, with its answer beside the nominal', async () => {
    show('improve', [run(3, 'optimize', { best: best() }), run(2, 'sample'), run(1, 'try', { best: best({ values: { mass: 8 } }) })])
    await screen.findByText('6.4', { selector: '.big' })
    await waitFor(() => expect(text()).toContain('kg, nominal 1.6'))
    expect(await screen.findByLabelText('noise by evaluation')).toBeTruthy() // the study watches it
    expect(text()).toContain('1 failed, 4 feasible')
    expect(text()).toContain('finished: the budget is used up')
    expect(text()).toContain('10 asked')
    expect(screen.queryByText('Pause')).toBeNull()
  })
  it('controls a run at work', async () => {
    show('improve/3', [run(3, 'optimize', { state: 'running', evaluations: 5, best: best({ feasible: false, misses: 'R1 by 0.3 mm' }) })])
    fireEvent.click(await screen.findByText('Stop, keep best'))
    await waitFor(() => expect(posted[0]!.path).toBe('/v1/runs/3/stop'))
    expect(text()).toContain('the best one misses R1 by 0.3 mm')
    expect(text()).toContain('left')
  })
  it('offers to resume, and says what changed since and what held the optimum', async () => {
    const end = { input: 'radius', end: 'upper' as const, value: 0.5, guess: true, says: 'radius: the optimum is held by your guess of 0.5 m: widen it?' }
    show('improve/3', [run(3, 'optimize', { state: 'paused', reason: 'paused by hand', best: best(), at_ends: [end], changes: ['load: 800 -> 900'], newest: 4 })])
    await screen.findByText('Resume')
    expect(text()).toContain('The bench has changed since this run, and is at revision 4: load: 800 -> 900.')
    await waitFor(() => expect(text()).toContain('held by your guess of 0.5 m'))
    expect(text()).toContain('at its guessed upper end')
  })
  it('says why nothing has values', async () => {
    show('improve/3', [run(3, 'optimize', { usable: 0, failures: { says: '10 of 10 evaluations failed: none has values', doubt: true, reasons: [{ reason: 'no licence', count: 10, evaluation: 1 }] } })])
    await screen.findByText(/10 of 10 evaluations failed: none has values/)
    expect(text()).toContain('10 times, first in evaluation 1: no licence')
  })
})

describe('a study of scatter', () => {
  it('says how probable it is that requirements are met, and how values are distributed', async () => {
    const limited = (value: number) => ({ value, from: value - 1, to: value + 1 })
    const together = { met: 0.86, from: 0.816, to: 0.8947 }
    show('improve/6', [
      run(6, 'uncertainty', {
        probabilities: { R1: together },
        scatter: { points: 300, failed: 42, inputs: ['load'], together, says: 'every requirement is met in 258 of 300 draws', values: { mass: { mean: limited(7), deviation: 0.5, quantiles: [1, 2, 3, 4, 5].map(limited), counts: [1, 4, 2], least: 6, largest: 8 } } },
      }),
    ])
    await screen.findByText('Every requirement is met in 258 of 300 draws.')
    expect(screen.getByLabelText('86 %, between 81.6 % and 89.5 %')).toBeTruthy()
    expect(screen.getByLabelText('mass from 6 to 8')).toBeTruthy()
    expect(screen.getByText('mass, kg').closest('tr')!.textContent).toContain('70.512345')
    expect(screen.queryByText('length, m')).toBeNull() // it is the same in all draws
  })
})

describe('Prove', () => {
  it('offers the best of the newest search', async () => {
    show('prove', [run(3, 'optimize', { best: best() })])
    fireEvent.click(screen.getByText('Verify the best of run 3'))
    await waitFor(() => expect(posted[0]).toEqual({ path: '/v1/benches/drum/runs', body: { study: 'verify', of: { run: 3, evaluation: 9 } } }))
  })
  it('sends to Improve where nothing was found yet', () => {
    show('prove', [])
    expect(text()).toContain('First look for a good design in Improve')
  })
  it('shows before and after, and what moved though nobody asked', async () => {
    const verified = run(4, 'verify', { best: best(), nominal: best({ values: { mass: 1.6, length: 4, noise: 70 }, requirements: detail.requirements, feasible: false }) })
    verified.question.of = { run: 3, evaluation: 9 }
    show('prove', [verified, run(3, 'optimize', { best: best() })])
    await screen.findByText('Every requirement is met.')
    expect(text()).toContain('Candidate of run 3, evaluation 9')
    expect(text()).toContain('+100 %')
    const moved = screen.getByText('Moved, though nobody asked').closest('section')!
    expect(moved.textContent).toContain('Noise')
    expect(moved.textContent).not.toContain('mass')
  })
  it('says that a candidate gave no values', async () => {
    show('prove/4', [run(4, 'verify', { usable: 0, last_failure: 'the rope breaks' })])
    await screen.findByText(/It gave no values: the rope breaks/)
  })
})

describe('Explore', () => {
  it('says what a sample is for where there is none', () => {
    show('explore', [])
    expect(text()).toContain('A sample spreads designs over the space')
  })
  it('takes the newest run that has values, samples before searches', () => {
    show('explore', [run(5, 'optimize', { best: best() }), run(4, 'sample', { usable: 0 }), run(2, 'sample')])
    expect(screen.getByRole('link', { name: 'run 2' }).getAttribute('aria-current')).toBe('page')
  })
})

describe('Decide', () => {
  const tried = run(1, 'try')
  it('says what it is for where nothing was evaluated', () => {
    show('decide', [])
    expect(text()).toContain('Designs of any runs stand side by side here.')
    expect(text()).toContain('RUN:EVALUATION')
  })
  it('puts the nominal design beside the best of the newest study, and says what got worse', async () => {
    details['/v1/runs/1/evaluations/1'] = { ...detail, requirements: { R1: { verdict: 'met', value: 6, margin: 1 } } }
    details['/v1/runs/3/evaluations/9'] = { ...detail, named: { mass: 3.2, length: 4, noise: 70 }, inputs: { radius: 0.4, load: 800 } }
    show('decide', [run(3, 'optimize', { best: best() }), tried])
    await screen.findByText('3:9 misses R1, which nominal meets, by 1 m.')
    const row = screen.getByText('mass, kg').closest('tr')!
    expect(row.textContent).toContain('3.2 +100 %')
    expect(screen.getByText('radius, m').closest('tr')!.textContent).toContain('0.4 +100 %')
    expect(screen.queryByText('load')).toBeNull() // it is held in both
  })
  it('puts a design beside others, and takes one away', async () => {
    show('decide', [run(3, 'optimize', { best: best() }), tried])
    await screen.findByLabelText('Take nominal away')
    fireEvent.change(screen.getByLabelText('another design'), { target: { value: '3:4' } })
    fireEvent.click(screen.getByText('Put beside'))
    await screen.findByLabelText('Take 3:4 away')
    fireEvent.click(screen.getByLabelText('Take nominal away'))
    await waitFor(() => expect(screen.queryByLabelText('Take nominal away')).toBeNull())
    expect(text()).toContain('change from 3:9')
  })
  it('picks a design, and does with a candidate what can be done', async () => {
    candidates = [{ bench: 'drum', name: 'light', run: 3, evaluation: 9, revision: 1, because: 'the lightest', picked: '2026-11-26T12:00:00Z' }]
    show('decide', [run(3, 'optimize', { best: best() }), tried])
    await screen.findByText('the lightest')
    expect(text()).toContain('of revision 1') // the bench is at 2
    fireEvent.change(screen.getByLabelText('design'), { target: { value: '3' } })
    expect(text()).toContain('as in 4:17')
    fireEvent.change(screen.getByLabelText('design'), { target: { value: '3:4' } })
    fireEvent.change(screen.getByLabelText('name'), { target: { value: 'stiff' } })
    fireEvent.change(screen.getByLabelText('because'), { target: { value: 'it bends least' } })
    fireEvent.click(screen.getByText('Pick'))
    await waitFor(() => expect(posted.at(-1)).toEqual({ path: '/v1/benches/drum/candidates', body: { run: 3, evaluation: 4, name: 'stiff', because: 'it bends least' } }))
    fireEvent.click(screen.getByText('withdraw'))
    await waitFor(() => expect(posted.at(-1)?.path).toBe('/v1/benches/drum/candidates?name=light'))
    fireEvent.click(screen.getByText('verify'))
    await waitFor(() => expect(posted.at(-1)).toEqual({ path: '/v1/benches/drum/runs', body: { study: 'verify', of: { run: 3, evaluation: 9 } } }))
  })
})

describe('what places share', () => {
  it('finds objectives and units by name', () => {
    expect(objectiveAt(bench.studies[1], best())).toBe(6.4)
    expect(objectiveAt(bench.studies[0], best())).toBeUndefined()
    expect([unitOf(bench, 'mass'), unitOf(bench, 'radius'), unitOf(bench, undefined)]).toEqual(['kg', 'm', undefined])
  })
})
