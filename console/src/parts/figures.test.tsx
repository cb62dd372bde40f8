import { render, screen } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import type { Input, Output, Point, PointDetail, Requirement } from '../api/types'
import { bestSoFar, scope } from './ConvergenceFigure'
import { farthestApart, limitsOf } from './CurveFigure'
import { heightOf, scaleOf } from './InputStrips'
import { MarginBar } from './MarginBar'
import { VerdictTag } from './VerdictTag'

const points = [5, 7, 3, 4, 2].map((value, i): Point => ({ evaluation: i + 1, state: 'ok', design: [], values: [value], feasible: true }))
const value = (p: Point) => p.values![0]!

describe('the line of the best so far', () => {
  it('falls for a minimum, and reaches to the last evaluation', () => {
    expect(bestSoFar(points, value, false, 9)).toEqual({ x: [1, 3, 5, 9], y: [5, 3, 2, 2] })
  })
  it('rises for a maximum', () => expect(bestSoFar(points, value, true)).toEqual({ x: [1, 2], y: [5, 7] }))
  it('is empty where nothing is feasible', () => expect(bestSoFar([], value, false)).toEqual({ x: [], y: [] }))
})

describe('the scope of the objective', () => {
  it('has the best and the nominal in it', () => {
    const [low, high] = scope(points, value, 20)
    expect(low).toBeLessThan(2)
    expect(high).toBeGreaterThan(20)
  })
  it('is never empty', () => {
    const [low, high] = scope([points[0]!], value)
    expect(high).toBeGreaterThan(low)
  })
})

describe('the strip of an input', () => {
  const words: Input = { name: 'pad', nominal: 'organic', varied: true, says: '', choices: { words: ['organic', 'sintered', 'ceramic'] } }
  it('has the words of a list at their numbers', () => {
    expect(scaleOf(words)).toEqual({ lower: 0, upper: 2, ticks: ['organic', 'ceramic'] })
    expect(heightOf(words, 'sintered')).toBe(1)
  })
  it('runs from the first to the last number of a list, and over a range', () => {
    const plate: Input = { name: 'plate', nominal: 8, varied: true, says: '', choices: { numbers: [5, 6, 12] } }
    expect(scaleOf(plate)).toEqual({ lower: 5, upper: 12, ticks: ['5', '12'] })
    expect(heightOf(plate, 6)).toBe(6)
    expect(scaleOf({ name: 'rate', nominal: 1, varied: true, says: '', range: { lower: 0.4, upper: 4 } }).ticks).toEqual(['0.4', '4'])
  })
})

describe('the name of a curve', () => {
  it('stands where the curves are farthest apart', () => {
    const flat = { x: [0, 1, 2], y: [0, 0, 0] }
    expect(farthestApart({ x: [0, 1, 2], y: [1, 5, 2] }, flat)).toMatchObject({ i: 1, above: true })
    expect(farthestApart({ x: [0, 1, 2], y: [1, 1, -8] }, flat)).toMatchObject({ i: 2, above: false })
  })
})

describe('the limits drawn with a curve', () => {
  const limit = (id: string, of: string, unit = 'g'): Requirement => ({ id, says: '', of, unit, limit: '', kind: 'at_most', limits: [2.5], decisive: true })
  const decel: Output = { name: 'decel', kind: 'curve', says: '', unit: 'g' }
  const detail = {
    curves: { decel: { x: [0, 1, 2], y: [0, 2.6, 1] } },
    requirements: { R1: { verdict: 'missed', value: 2.599 }, R2: { verdict: 'met', value: 1.1 }, R3: { verdict: 'met', value: 2.6 } },
  } as unknown as PointDetail
  it('are those on the curve and on its peak, not any in the same unit', () => {
    const all = [limit('R1', 'peak_g'), limit('R2', 'mean_g'), limit('R3', 'sway', 'mm'), limit('R4', 'decel')]
    expect(limitsOf(decel, all, detail).map((q) => q.id)).toEqual(['R1', 'R4'])
    expect(limitsOf(decel, all).map((q) => q.id)).toEqual(['R4'])
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
