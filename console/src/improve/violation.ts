import { valuesOf, type Column, type Table } from '../api/table'
import type { Requirement } from '../api/types'

/** By how much a value misses a requirement, as a share of its limit; 0 where it is kept, NaN where there is no value. */
export function missedBy(q: Requirement, value: number): number {
  if (Number.isNaN(value)) return NaN
  const [first, second] = q.limits
  if (first === undefined) return NaN
  const [lower, upper] =
    q.kind === 'at_least' ? [first, Infinity] : q.kind === 'at_most' ? [-Infinity, first] : q.kind === 'equals' ? [first - (q.within ?? 0), first + (q.within ?? 0)] : [first, second ?? first]
  const missed = Math.max(0, lower - value, value - upper)
  const size = Math.max(...[lower, upper].filter(Number.isFinite).map(Math.abs))
  return missed / (size || 1)
}

/** The worst violation of every evaluation, of the requirements that must be met; undefined where there is none on a number. */
export function worstViolation(table: Table, requirements: Requirement[]): Column | undefined {
  const limited = requirements.flatMap((q) => {
    const column = valuesOf(table).find((c) => c.name === q.of || c.name === `${q.of}, worst for ${q.id}`)
    return q.decisive && column && q.limits.length > 0 ? [{ q, column }] : []
  })
  if (limited.length === 0) return undefined
  const numbers = new Float64Array(table.rows)
  for (let row = 0; row < table.rows; row++) numbers[row] = limited.reduce((worst, { q, column }) => Math.max(worst, missedBy(q, column.numbers[row]!)), 0)
  return { name: 'worst violation', kind: 'value', numbers }
}
