import { describe, expect, it } from 'vitest'
import type { EvaluationDetail, NamedCandidate, Requirement } from '../api/types'
import { gotWorse, nameOf, readKey, valuesOf } from './compared'

const requirement = (id: string): Requirement => ({ id, of: id, says: '', kind: 'at_most', limits: [1], limit: 'at most 1', decisive: true })
const judged = (verdicts: Record<string, 'met' | 'met_without_reserve' | 'missed' | 'not_shown'>) =>
  ({ requirements: Object.fromEntries(Object.entries(verdicts).map(([id, verdict]) => [id, { verdict }])), named: {} }) as unknown as EvaluationDetail

describe('designs beside each other', () => {
  it('are named by run and evaluation, or as the candidate that they are', () => {
    expect(readKey(' 4 : 17 ')).toEqual({ run: 4, evaluation: 17 })
    expect(['4', '4:', 'light', '4:1x', ''].map(readKey)).toEqual([undefined, undefined, undefined, undefined, undefined])
    const light = { name: 'light', run: 4, evaluation: 17 } as NamedCandidate
    expect([nameOf([light], 4, 17), nameOf([light], 4, 18)]).toEqual(['light', '4:18'])
  })
  it('got worse where the first meets what another misses', () => {
    const all = ['R1', 'R2', 'R3', 'R4'].map(requirement)
    const worse = gotWorse(all, judged({ R1: 'met', R2: 'met_without_reserve', R3: 'missed', R4: 'met' }), judged({ R1: 'missed', R2: 'missed', R3: 'missed', R4: 'not_shown' }))
    expect(worse.map((q) => q.id)).toEqual(['R1', 'R2'])
  })
  it('have the values that one of them has', () => {
    const outputs = ['mass', 'load'].map((name) => ({ name, kind: 'value' as const, says: '' }))
    const detail = { named: { mass: 0 } } as unknown as EvaluationDetail
    expect(valuesOf(outputs, [{ key: '1:1', name: 'nominal', run: 1, evaluation: 1, detail }]).map((o) => o.name)).toEqual(['mass'])
  })
})
