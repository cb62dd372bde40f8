import type { components } from './types.generated'

type Header = components['schemas']['ColumnsHeader']
type Described = components['schemas']['ColumnOfNumbers']

/** A column of numbers, one for each evaluation; NaN where there is none. A word is its index in words. */
export type Column = Described & { numbers: Float64Array }

/** The evaluations of a run by columns, in the order of their numbers. */
export type Table = { rows: number; states: string[]; columns: Column[]; reasons: Record<string, string> }

/** Reads the answer of /columns: the length of the header, the header, then the columns; see service/openapi.yaml. */
export function decodeTable(data: ArrayBuffer): Table {
  const size = new DataView(data).getUint32(0, true)
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, size))) as Header
  let at = 4 + size
  const columns = header.columns.map((described) => {
    const numbers = new Float64Array(data, at, header.rows)
    at += 8 * header.rows
    return { ...described, numbers }
  })
  return { rows: header.rows, states: header.states, columns, reasons: header.reasons ?? {} }
}

/** The first rows of a table with those of another behind them. */
export function joinTables(first: Table, rows: number, rest: Table): Table {
  const columns = rest.columns.map((column, i) => {
    const numbers = new Float64Array(rows + rest.rows)
    numbers.set(first.columns[i]!.numbers.subarray(0, rows))
    numbers.set(column.numbers, rows)
    return { ...column, numbers }
  })
  return { rows: rows + rest.rows, states: rest.states, columns, reasons: { ...first.reasons, ...rest.reasons } }
}

/** How many rows stand before the first gap in the numbers: those behind it may still get company. */
export function settledRows(table: Table): number {
  const numbers = columnOf(table, 'evaluation').numbers
  const gap = numbers.findIndex((number, i) => number !== i + 1)
  return gap < 0 ? table.rows : gap
}

/** The column of that name; the first four are evaluation, state, feasible and reused. */
export function columnOf(table: Table, name: string): Column {
  const column = table.columns.find((c) => c.name === name)
  if (!column) throw new Error(`the table has no column ${name}`)
  return column
}

/** The rows of a table that are wanted. */
export function keepRows(table: Table, wanted: (row: number) => boolean): Table {
  const columns = table.columns.map((c) => ({ ...c, numbers: c.numbers.filter((_, row) => wanted(row)) }))
  return { ...table, rows: columns[0]?.numbers.length ?? 0, columns }
}

export const inputsOf = (table: Table) => table.columns.filter((c) => c.kind === 'input')
export const valuesOf = (table: Table) => table.columns.filter((c) => c.kind === 'value')

/** What stands in a cell: a word, a number, or nothing. */
export function cellOf(column: Column, row: number): number | string | undefined {
  const number = column.numbers[row]!
  if (Number.isNaN(number)) return undefined
  return column.words ? column.words[number] : number
}

/** The kinds of marks that evaluations have in every figure and table. */
export type MarkKind = 'feasible' | 'infeasible' | 'untried' | 'failed'

/** The kind of mark of a row. */
export function markOf(table: Table, row: number): MarkKind {
  if (columnOf(table, 'feasible').numbers[row] === 1) return 'feasible'
  const state = table.states[columnOf(table, 'state').numbers[row]!]
  return state === 'ok' ? 'infeasible' : state === 'not tried' ? 'untried' : 'failed'
}

/** The marks of all rows as numbers: their places in markKinds. */
export const markKinds: MarkKind[] = ['feasible', 'infeasible', 'untried', 'failed']

export function marksOf(table: Table): Uint8Array {
  const [feasible, state] = [columnOf(table, 'feasible').numbers, columnOf(table, 'state').numbers]
  const marks = new Uint8Array(table.rows)
  const [ok, untried] = [table.states.indexOf('ok'), table.states.indexOf('not tried')]
  for (let row = 0; row < table.rows; row++) marks[row] = feasible[row] === 1 ? 0 : state[row] === ok ? 1 : state[row] === untried ? 2 : 3
  return marks
}

/** The rows in the order of a column, the smallest first or the largest; those without a number come last. */
export function sortedRows(table: Table, column: Column, largestFirst: boolean): Int32Array {
  const { numbers } = column
  const rows = new Int32Array(table.rows)
  for (let row = 0; row < table.rows; row++) rows[row] = row
  return rows.sort((a, b) => {
    const [x, y] = [numbers[a]!, numbers[b]!]
    if (Number.isNaN(x) || Number.isNaN(y)) return Number(Number.isNaN(x)) - Number(Number.isNaN(y)) || a - b
    return (largestFirst ? y - x : x - y) || a - b
  })
}
