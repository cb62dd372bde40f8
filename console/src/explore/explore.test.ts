import { describe, expect, it } from 'vitest'
import { explored } from '../api/explore'
import { columnOf } from '../api/table'
import type { Run } from '../api/types'
import { filteredRows, testOf } from '../parts/filters'
import { shadesOf } from '../parts/marks'
import { tableOf } from '../test.table'
import { tracesOf } from './AllCurves'
import { contour, extent, levels } from '../parts/contours'
import { borders } from '../parts/surface'
import { thin, thinnedTo } from './Designs'
import { bars, binned } from './Histogram'
import { passing } from './Parallel'
import { axisOf, lock, rangeOf } from './ranges'
import { project } from '../parts/Relief'
import { stops } from './Surfaces'
import { percent, q2Words } from './words'

const table = tableOf(
  [5, 7, 3, 4, 2].map((value, i) => ({ evaluation: i + 1, values: [value, i % 2] })),
  [{ name: 'cost', kind: 'value', unit: 'EUR' }, { name: 'pad', kind: 'input', words: ['organic', 'ceramic'] }],
)
const [cost, pad] = [columnOf(table, 'cost'), columnOf(table, 'pad')]

describe('a filter of a column', () => {
  const rows = Int32Array.from([0, 1, 2, 3, 4])
  const passed = (filters: Record<string, string>) => [...filteredRows(table, rows, filters)]
  it('compares, takes intervals, and finds words', () => {
    expect(passed({ cost: '> 3' })).toEqual([0, 1, 3])
    expect(passed({ cost: '<=3' })).toEqual([2, 4])
    expect(passed({ cost: '3..5' })).toEqual([0, 2, 3])
    expect(passed({ cost: '4' })).toEqual([3])
    expect(passed({ pad: 'cer' })).toEqual([1, 3])
    expect(passed({ pad: '=organic', cost: '<5' })).toEqual([2, 4])
    expect(passed({ cost: ' ' })).toEqual([0, 1, 2, 3, 4])
  })
  it('says that it cannot be read', () => {
    expect(testOf('> much')).toBeUndefined()
    expect(testOf('a..b')).toBeUndefined()
    expect(passed({ cost: '> much' })).toEqual([0, 1, 2, 3, 4])
  })
})

describe('brushed axes', () => {
  it('select what passes all of them', () => {
    expect(passing(table, [cost, pad], { cost: [3, 5] })).toEqual([1, 3, 4])
    expect(passing(table, [cost, pad], { cost: [3, 5], pad: [0.5, 1] })).toEqual([4])
  })
})

describe('a histogram', () => {
  it('has each evaluation in one bar', () => {
    const parts = binned(table, cost, [2, 7])
    expect(parts).toHaveLength(bars)
    expect(parts.flat().sort()).toEqual([1, 2, 3, 4, 5])
    expect(parts.at(-1)).toEqual([2])
  })
})

describe('the range of an axis', () => {
  it('has room for marks, and words stand at their numbers', () => {
    const [low, high] = rangeOf(cost)
    expect(low).toBeLessThan(2)
    expect(high).toBeGreaterThan(7)
    expect(axisOf(pad, undefined).ticks).toEqual({ at: [0, 1], words: ['organic', 'ceramic'] })
    expect(axisOf(cost, { cost: [0, 100] }).range).toEqual([0, 100])
  })
  it('is locked for a bench until it is freed', () => {
    lock('winch', table)
    expect(JSON.parse(sessionStorage.getItem('axes of winch')!)).toHaveProperty('cost')
    lock('winch', undefined)
    expect(sessionStorage.getItem('axes of winch')).toBeNull()
  })
})

describe('a grid with gaps', () => {
  const grid = { x: [0, 1, 2], y: [0, 1], z: [[0, 1, NaN], [0, 1, 2]] }
  it('has no lines where a corner is missing, and ends of what there is', () => {
    expect(contour(grid, 0.5)).toHaveLength(1)
    expect(contour(grid, 1.5)).toHaveLength(0)
    expect(extent(grid)).toEqual([0, 2])
  })
  it('has cells that are whole, or cut off at the ends', () => {
    expect(borders([0, 1, 4])).toEqual([0, 0.5, 2.5, 4])
    expect(borders([0, 1, 4], true)).toEqual([-0.5, 0.5, 2.5, 5.5])
    expect(borders([3], true)).toEqual([2.5, 3.5])
  })
})

describe('lines of equal value', () => {
  const grid = { x: [0, 1, 2], y: [0, 1], z: [[0, 1, 2], [0, 1, 2]] }
  it('run where the value is', () => {
    const segments = contour(grid, 0.5)
    expect(segments).toHaveLength(1)
    expect([segments[0]![0], segments[0]![2]]).toEqual([0.5, 0.5])
    expect(contour(grid, 5)).toEqual([])
  })
  it('stand at round numbers within the values', () => {
    expect(extent(grid)).toEqual([0, 2])
    expect(levels([0.13, 2.02], 9)).toEqual([0.5, 1, 1.5, 2])
    expect(extent({ ...grid, z: [[3, 3, 3], [3, 3, 3]] })).toEqual([3, 4])
  })
})

describe('a surface that is turned', () => {
  it('keeps its upright axis upright', () => {
    const [x, y] = project([0, 0, 1], { round: 1.2, up: 0.5 })
    expect(x).toBeCloseTo(0)
    expect(y).toBeLessThan(0)
  })
})

describe('a slider', () => {
  const input = { name: 'a', nominal: 1, varied: true, says: '' }
  it('has the steps of a range, the values of a list, and the ends to the last digit', () => {
    expect(stops({ ...input, range: { lower: 1, upper: 3 }, step: 1 })).toEqual([1, 2, 3])
    expect(stops({ ...input, choices: { words: ['x', 'y'] } })).toEqual(['x', 'y'])
    const all = stops({ ...input, range: { lower: 0.123456789, upper: 10 }, log: true })
    expect([all[0], all.at(-1)]).toEqual([0.123456789, 10])
    expect(Number(all[100])).toBeCloseTo(Math.sqrt(1.23456789), 4)
  })
})

describe('curves of all designs', () => {
  it('are read by evaluation', () => {
    expect(tracesOf('evaluation,x,y\n3,0,1\n3,1,2\n7,0,5\n', (n) => n === 7)).toEqual([
      { evaluation: 3, feasible: false, x: [0, 1], y: [1, 2] }, { evaluation: 7, feasible: true, x: [0], y: [5] },
    ])
  })
})

describe('a run that goes on', () => {
  const run = (state: string, evaluations: number) => ({ state, evaluations }) as Run
  it('is explored in steps, and whole once it has ended', () => {
    expect([100, 101, 115].map((n) => explored(run('running', n)))).toEqual([90, 90, 90])
    expect(explored(run('running', 3))).toBe(8)
    expect(explored(run('finished', 101))).toBe(101)
  })
})

describe('many designs', () => {
  it('are thinned, with all columns alike', () => {
    const many = tableOf(Array.from({ length: 3 * thinnedTo + 1 }, (_, i) => ({ evaluation: i + 1, values: [i] })), [{ name: 'cost', kind: 'value' }])
    const few = thin(many)
    expect(few.rows).toBeLessThanOrEqual(thinnedTo)
    expect(few.columns.map((c) => c.numbers.length)).toEqual(few.columns.map(() => few.rows))
    expect(columnOf(few, 'evaluation').numbers[1]).toBe(5)
    expect(thin(table)).toBe(table)
  })
  it('have shades from the least to the most', () => expect([...shadesOf(Float64Array.from([2, 4, 3, NaN]))]).toEqual([0, 23, 12, 0]))
})

describe('numbers in words', () => {
  it('are never rounded up to a certainty', () => {
    expect(q2Words(0.99996)).toBe('Q² 0.99996')
    expect(q2Words(0.954)).toBe('Q² 0.954')
    expect(q2Words(1)).toBe('Q² 1')
    expect([percent(0.554), percent(0.0312), percent(0.0002)]).toEqual(['55 %', '3.1 %', '0 %'])
  })
})
