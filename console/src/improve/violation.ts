import { columnOf, valuesOf, type Column, type Table } from '../api/table'
import type { Requirement } from '../api/types'

/** By how much a value misses a requirement, as a share of its limit; 0 where it is kept, NaN where there is no value. */
export function missedBy(q: Requirement, value: number, reserve = 0): number {
  const { missed, size } = miss(q, value, reserve)
  return missed / size
}

/** By how much a value misses a requirement, in its unit, and the size of the limit. */
function miss(q: Requirement, value: number, reserve: number): { missed: number; size: number } {
  const [first, second] = q.limits
  if (Number.isNaN(value) || first === undefined) return { missed: NaN, size: 1 }
  const within = q.within ?? 0
  const ends = q.kind === 'at_least' ? [first, Infinity] : q.kind === 'at_most' ? [-Infinity, first] : q.kind === 'equals' ? [first - within, first + within] : [first, second ?? first]
  const [lower, upper] = [ends[0]! + reserve, ends[1]! - reserve]
  const missed = Math.max(0, lower - value, value - upper)
  const size = Math.max(...[lower, upper].filter(Number.isFinite).map(Math.abs))
  return { missed, size: size || 1 }
}

/** Which evaluations keep every requirement with its reserve, as a search asks: 1, or 0. All that are feasible where none does. */
export function keptWithReserve(table: Table, requirements: Requirement[]): Uint8Array {
  const feasible = columnOf(table, 'feasible').numbers
  const kept = Uint8Array.from(feasible, (one) => (one === 1 ? 1 : 0))
  const limited = limitedColumns(table, requirements).filter(({ q }) => q.reserve)
  for (let row = 0; row < table.rows; row++) if (limited.some(({ q, column }) => missedBy(q, column.numbers[row]!, q.reserve) > 0)) kept[row] = 0
  return kept.includes(1) ? kept : Uint8Array.from(feasible, (one) => (one === 1 ? 1 : 0))
}

/** The requirements that must be met, on numbers, each with the column that it limits. */
const limitedColumns = (table: Table, requirements: Requirement[]) =>
  requirements.flatMap((q) => {
    const column = limitedColumn(table, q)
    return q.decisive && column && q.limits.length > 0 ? [{ q, column }] : []
  })

const limitedColumn = (table: Table, q: Requirement) => valuesOf(table).find((c) => c.name === q.of || c.name === `${q.of}, worst for ${q.id}`)

/** What every evaluation pays for soft requirements that it misses, in units of the objective; undefined where none has a price. */
export function pricePaid(table: Table, requirements: Requirement[]): Column | undefined {
  const soft = requirements.flatMap((q) => {
    const column = limitedColumn(table, q)
    return q.price && column && q.limits.length > 0 ? [{ q, price: q.price, column }] : []
  })
  if (soft.length === 0) return undefined
  const numbers = new Float64Array(table.rows)
  for (let row = 0; row < table.rows; row++) numbers[row] = soft.reduce((sum, { q, price, column }) => sum + price * miss(q, column.numbers[row]!, q.reserve ?? 0).missed, 0)
  return { name: 'price paid', kind: 'value', numbers }
}

/** The worst violation of every evaluation in percent of the limit, of the requirements that must be met; undefined where there is none on a number. */
export function worstViolation(table: Table, requirements: Requirement[]): Column | undefined {
  const limited = limitedColumns(table, requirements)
  if (limited.length === 0) return undefined
  const numbers = new Float64Array(table.rows)
  for (let row = 0; row < table.rows; row++) numbers[row] = limited.reduce((worst, { q, column }) => Math.max(worst, 100 * missedBy(q, column.numbers[row]!)), 0)
  return { name: 'worst violation', kind: 'value', numbers }
}
