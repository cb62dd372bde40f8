import { describe, expect, it } from 'vitest'
import type { Bench, Convergence, Run } from '../api/types'
import { askedBesides, bestOf, linesOf, reachedAt, searchesOf, suggested } from './runsBeside'

const bench = { revision: 3, studies: [{ name: 'best', kind: 'optimize', searches: true }, { name: 'over', kind: 'sweep', searches: true }, { name: 'look', kind: 'sample' }] } as unknown as Bench
const run = (id: number, study: string, question: object = {}) => ({ run: id, revision: 3, question: { study, kind: bench.studies.find((s) => s.name === study)?.kind ?? study, seed: 1, ...question } }) as unknown as Run
const steps: Convergence = { evaluations: 40, steps: [{ evaluation: 1, feasible: false, objective: 2 }, { evaluation: 5, feasible: true, objective: 9 }, { evaluation: 12, feasible: true, objective: 4.02 }, { evaluation: 30, feasible: true, objective: 4 }] }

describe('runs beside each other', () => {
  it('are searches, those of the study that was run last at first', () => {
    const runs = [run(9, 'try'), run(8, 'best', { seed: 2 }), run(7, 'look'), run(6, 'over'), run(5, 'best')]
    expect(searchesOf(bench, runs).map((r) => r.run)).toEqual([8, 5])
    expect(suggested(searchesOf(bench, runs), 1)).toEqual([8])
  })

  it('say what they were asked besides their study', () => {
    const asked = { seed: 4, besides: ['springs held at 3', 'mass from 1 to 2', 'gap freed'], start: { gap: 1 }, evaluations: 90 }
    expect(askedBesides(run(1, 'best', asked), 3)).toBe('seed 4, springs held at 3, mass from 1 to 2, gap freed, from another start, 90 evaluations')
    expect(askedBesides(run(1, 'best'), 4)).toBe('seed 1, revision 3')
  })

  it('are lines of what was feasible, up to their last evaluation', () => {
    const [line, ...none] = linesOf([{ run: 7, steps }, { run: 8, steps: { evaluations: 9, steps: [{ evaluation: 2, feasible: false }] } }, { run: 9, steps: undefined }])
    expect(none).toEqual([])
    expect([line!.x, line!.y]).toEqual([[5, 5, 12, 12, 30, 30, 40], [9, 9, 9, 4.02, 4.02, 4, 4]])
  })

  it('tell which was near to the best of all, and when', () => {
    expect(bestOf([steps, undefined])).toBe(4)
    expect(bestOf([{ ...steps, maximize: true }])).toBe(9)
    expect(bestOf([undefined])).toBeUndefined()
    expect([reachedAt(steps, 4, 0.01), reachedAt(steps, 4, 0.001), reachedAt(steps, 3, 0.01)]).toEqual([12, 30, undefined])
  })
})
