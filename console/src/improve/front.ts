import { columnOf, keepRows, type Table } from '../api/table'
import type { Design, Result } from '../api/types'

/** The rows of a front's designs alone, with objectives that are over draws and so in no evaluation. */
export function tableOfFront(table: Table, front: Design[], { objectives }: Tradeoff): Table {
  const members = new Map(front.map((d) => [d.evaluation, d]))
  const evaluations = columnOf(table, 'evaluation').numbers
  const few = keepRows(table, (row) => members.has(evaluations[row]!))
  const missing = objectives.filter((name) => !few.columns.some((c) => c.name === name))
  const numbers = columnOf(few, 'evaluation').numbers
  return { ...few, columns: [...few.columns, ...missing.map((name) => ({ name, kind: 'value' as const, numbers: numbers.map((n) => members.get(n)?.values[name] ?? NaN) }))] }
}

export type Tradeoff = NonNullable<Result['tradeoff']>

/** The least and the most of each objective along a front. */
export const rangesOf = (front: Design[], objectives: string[]): [number, number][] =>
  objectives.map((name) => {
    const values = front.map((d) => d.values[name]!)
    return [Math.min(...values), Math.max(...values)]
  })

/** The designs whose objectives keep the limits that somebody would accept; undefined: no limit. */
export const accepted = (front: Design[], { objectives, most }: Tradeoff, limits: (number | undefined)[]) =>
  front.filter((d) => objectives.every((name, k) => limits[k] === undefined || (most[k] ? d.values[name]! >= limits[k] : d.values[name]! <= limits[k])))

/** How far a design is from the best value of each objective, in shares of their ranges along the front, times their weights: the root of the sum of squares. */
export function distanceFromIdeal(design: Design, { objectives, most }: Tradeoff, ranges: [number, number][], weights: number[]): number {
  return Math.hypot(
    ...objectives.map((name, k) => {
      const [low, high] = ranges[k]!
      if (!(high > low)) return 0
      const share = (design.values[name]! - low) / (high - low)
      return weights[k]! * (most[k] ? 1 - share : share)
    }),
  )
}

/** Designs, the nearest to the ideal first. */
export function ranked(designs: Design[], tradeoff: Tradeoff, ranges: [number, number][], weights: number[]): Design[] {
  const away = new Map(designs.map((d) => [d, distanceFromIdeal(d, tradeoff, ranges, weights)]))
  return [...designs].sort((a, b) => away.get(a)! - away.get(b)!)
}
