import { render, screen } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { columnOf } from '../api/table'
import type { Input, Output, Requirement } from '../api/types'
import { tableOf } from '../test.table'
import { fitting } from './Chart'
import { bestSoFar, evaluationRange, scope } from './ConvergenceFigure'
import { farthestApart } from './CurveFigure'
import { pad, scaleOf } from './InputStrips'
import { limitsOf } from './limits'
import { MarginBar } from './MarginBar'
import { VerdictTag } from './VerdictTag'

const tableWith = (values: number[]) => tableOf(values.map((value, i) => ({ evaluation: i + 1, values: [value] })), [{ name: 'cost', kind: 'value' }])
const table = tableWith([5, 7, 3, 4, 2])
const cost = columnOf(table, 'cost').numbers

describe('the line of the best so far', () => {
  it('falls for a minimum, and reaches to the last evaluation', () => {
    const more = tableOf([...[5, 7, 3, 4, 2].map((value, i) => ({ evaluation: i + 1, values: [value] })), { evaluation: 9, state: 'failed', values: [undefined] }], [{ name: 'cost', kind: 'value' }])
    expect(bestSoFar(more, columnOf(more, 'cost').numbers, false)).toEqual({ x: [1, 3, 5, 9], y: [5, 3, 2, 2] })
  })
  it('rises for a maximum', () => expect(bestSoFar(table, cost, true)).toEqual({ x: [1, 2, 5], y: [5, 7, 7] }))
  it('is empty where nothing is feasible', () => {
    const none = tableOf([{ evaluation: 1, values: [3], feasible: false }], [{ name: 'cost', kind: 'value' }])
    expect(bestSoFar(none, columnOf(none, 'cost').numbers, false)).toEqual({ x: [], y: [] })
  })
})

describe('the scope of the objective', () => {
  it('has the best and the nominal in it', () => {
    const [low, high] = scope(table, cost, 20)
    expect(low).toBeLessThan(2)
    expect(high).toBeGreaterThan(20)
  })
  it('is never empty', () => {
    const one = tableWith([5])
    const [low, high] = scope(one, columnOf(one, 'cost').numbers)
    expect(high).toBeGreaterThan(low)
  })
  it('reaches to the budget, or to the last evaluation where there is none', () => {
    expect(evaluationRange(table, 100)[1]).toBe(102)
    expect(evaluationRange(tableWith(Array.from({ length: 50 }, () => 1)), 0)[1]).toBe(51)
  })
})

describe('the strip of an input', () => {
  const words: Input = { name: 'pad', nominal: 'organic', varied: true, says: '', choices: { words: ['organic', 'sintered', 'ceramic'] } }
  it('has the words of a list at their numbers', () => {
    expect(scaleOf(words)).toEqual({ lower: 0, upper: 2, ticks: ['organic', 'ceramic'] })
  })
  it('runs from the first to the last number of a list, and over a range', () => {
    const plate: Input = { name: 'plate', nominal: 8, varied: true, says: '', choices: { numbers: [5, 6, 12] } }
    expect(scaleOf(plate)).toEqual({ lower: 5, upper: 12, ticks: ['5', '12'] })
    expect(scaleOf({ name: 'rate', nominal: 1, varied: true, says: '', range: { lower: 0.4, upper: 4 } }).ticks).toEqual(['0.4', '4'])
  })
  it('leaves room for the marks at its ends, on either scale', () => {
    expect(pad(0, 100)).toEqual([-8, 108])
    const [low, high] = pad(1, 100, true)
    expect(low).toBeCloseTo(1 / 100 ** 0.08)
    expect(high).toBeCloseTo(100 * 100 ** 0.08)
  })
})

describe('the name of a curve', () => {
  it('stands where the curves are farthest apart', () => {
    const flat = { x: [0, 1, 2], y: [0, 0, 0] }
    expect(farthestApart({ x: [0, 1, 2], y: [1, 5, 2] }, flat)).toMatchObject({ i: 1, above: true })
    expect(farthestApart({ x: [0, 1, 2], y: [1, 1, -8] }, flat)).toMatchObject({ i: 2, above: false })
  })
})

describe('the title of an axis', () => {
  it('is no longer than the axis', () => {
    expect(fitting('Deceleration, g', 180)).toBe('Deceleration, g')
    expect(fitting('Deceleration of the trolley at the lower end of the line, m/s^2', 180)).toBe('Deceleration of the trolley…')
    expect(fitting('Deceleration', 0)).toBe('Deceler…')
  })
})

describe('the limits drawn with a curve', () => {
  it('are those of which the bench says so, both ends of an interval', () => {
    const limit = (id: string, on: string | undefined, limits: number[]): Requirement => ({ id, says: '', of: 'peak_g', unit: 'g', limit: `limit of ${id}`, kind: 'at_most', limits, decisive: true, ...(on ? { on: [on] } : {}) })
    const decel: Output = { name: 'decel', kind: 'curve', says: '', unit: 'g' }
    expect(limitsOf(decel, [limit('R1', 'decel', [2.5]), limit('R2', undefined, [1]), limit('R3', 'sway', [3]), limit('R4', 'decel', [-1, 4])])).toEqual([
      { at: 2.5, words: 'R1: limit of R1' }, { at: -1, words: 'R4: limit of R4' }, { at: 4, words: 'R4: limit of R4' },
    ])
  })
})

describe('margins and verdicts', () => {
  const q: Requirement = { id: 'R1', says: '', of: 'x', limit: 'at most 2', kind: 'at_most', limits: [2], reserve: 0.5, decisive: true }
  it('draws a missed requirement to the left of its limit', () => {
    const { container } = render(<MarginBar requirement={q} judged={{ verdict: 'missed', margin: -1 }} width={100} />)
    const bars = [...container.querySelectorAll('rect')]
    expect(bars.at(-1)!.getAttribute('fill')).toBe('var(--ochre)')
    expect(Number(bars.at(-1)!.getAttribute('x'))).toBeLessThan(32)
    expect(bars).toHaveLength(3)
  })
  it('says a verdict in words', () => {
    render(<VerdictTag judged={{ verdict: 'met_without_reserve' }} />)
    expect(screen.getByText('met without its reserve').className).toContain('warn')
  })
})
