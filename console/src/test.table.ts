import type { Column, Table } from './api/table'

/** One evaluation for a test: a feasible one with the values given, unless something else is said. */
export type Row = { evaluation: number; values: (number | undefined)[]; state?: string; feasible?: boolean; reason?: string }

const states = ['ok', 'failed', 'timed out', 'cancelled', 'not tried']

/** A table with the inputs and values named, for tests. */
export function tableOf(rows: Row[], names: { name: string; kind: 'input' | 'value'; unit?: string; words?: string[] }[]): Table {
  const of = (pick: (row: Row) => number | undefined) => Float64Array.from(rows, (row) => pick(row) ?? NaN)
  const columns: Column[] = [
    { name: 'evaluation', kind: 'number', numbers: of((row) => row.evaluation) },
    { name: 'state', kind: 'state', numbers: of((row) => states.indexOf(row.state ?? 'ok')) },
    { name: 'feasible', kind: 'feasible', numbers: of((row) => Number(row.feasible ?? (row.state ?? 'ok') === 'ok')) },
    { name: 'reused', kind: 'reused', numbers: of(() => 0) },
    ...names.map((named, i): Column => ({ ...named, numbers: of((row) => row.values[i]) })),
  ]
  return { rows: rows.length, states, columns, reasons: Object.fromEntries(rows.flatMap((row) => (row.reason ? [[row.evaluation, row.reason]] : []))) }
}

/** What the service answers for such a table. */
export function encodeTable(table: Table): ArrayBuffer {
  const header = { rows: table.rows, states: table.states, reasons: table.reasons, columns: table.columns.map(({ numbers: _, ...described }) => described) }
  let text = JSON.stringify(header)
  while ((4 + new TextEncoder().encode(text).length) % 8) text += ' '
  const described = new TextEncoder().encode(text)
  const data = new ArrayBuffer(4 + described.length + 8 * table.rows * table.columns.length)
  new DataView(data).setUint32(0, described.length, true)
  new Uint8Array(data).set(described, 4)
  table.columns.forEach((column, i) => new Float64Array(data, 4 + described.length + 8 * table.rows * i, table.rows).set(column.numbers))
  return data
}
