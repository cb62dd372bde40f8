import { describe, expect, it } from 'vitest'
import type { Output, Requirement } from '../api/types'
import { leastMargins, limitCurvesOf } from './limits'

const pull: Output = { name: 'pull', kind: 'curve', says: '', unit: 'kN' }
const curve = { x: [0, 1, 2, 3], y: [0, 4, 3, -1] }
const q = (id: string, kind: Requirement['kind'], limits: number[], more: Partial<Requirement> = {}): Requirement => ({ id, says: '', of: 'pull', unit: 'kN', limit: `limit of ${id}`, kind, limits, decisive: true, on: ['pull'], ...more })

describe('the place of the least margin', () => {
  it('is where a curve comes nearest to a limit, of whatever kind that is', () => {
    const all = [q('R1', 'at_most', [5]), q('R2', 'at_least', [0]), q('R3', 'between', [-2, 3.5]), q('R4', 'under', [], { curve: { x: [0, 2], y: [6, 3.5] } }), q('R5', 'over', [], { curve: { x: [1, 3], y: [-3, -3] } }), q('R6', 'at_most', [1], { on: ['sway'] })]
    expect(leastMargins(curve, pull, all).map((l) => [l.name, l.x[0], l.y[0], l.colour])).toEqual([
      ['the least margin of R1, 1 kN', 1, 4, 'teal'],
      ['the least margin of R2, -1 kN', 3, -1, 'ochre'],
      ['the least margin of R3, -0.5 kN', 1, 4, 'ochre'],
      ['the least margin of R4, 0.5 kN', 2, 3, 'teal'],
      ['the least margin of R5, 2 kN', 3, -1, 'teal'],
    ])
    expect(leastMargins(undefined, pull, all)).toEqual([])
  })

  it('and limits that are curves are drawn as such', () => {
    expect(limitCurvesOf(pull, [q('R1', 'at_most', [5]), q('R4', 'under', [], { curve: { x: [0, 2], y: [6, 3.5] } })]).map((l) => [l.name, l.x])).toEqual([['R4', [0, 2]]])
  })
})
