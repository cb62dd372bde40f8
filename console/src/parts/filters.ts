import { cellOf, type Column, type Table } from '../api/table'

/** A test of a cell, as a filter says it: >2, <= 3, 2..4, =5, or a part of a word; undefined where it cannot be read. */
export function testOf(text: string): ((cell: number | string | undefined) => boolean) | undefined {
  const trimmed = text.trim()
  const between = /^(\S+?)\.\.(\S+)$/.exec(trimmed)
  if (between) {
    const [low, high] = [Number(between[1]), Number(between[2])]
    return Number.isNaN(low) || Number.isNaN(high) ? undefined : (cell) => typeof cell === 'number' && cell >= low && cell <= high
  }
  const compared = /^(<=|>=|<|>|=)\s*(.+)$/.exec(trimmed)
  if (compared) {
    const limit = Number(compared[2])
    if (Number.isNaN(limit)) return compared[1] === '=' ? (cell) => cell === compared[2] : undefined
    const test = { '<': (v: number) => v < limit, '>': (v: number) => v > limit, '<=': (v: number) => v <= limit, '>=': (v: number) => v >= limit, '=': (v: number) => v === limit }[compared[1]!]!
    return (cell) => typeof cell === 'number' && test(cell)
  }
  if (trimmed !== '' && !Number.isNaN(Number(trimmed))) return (cell) => cell === Number(trimmed)
  return (cell) => typeof cell === 'string' && cell.includes(trimmed)
}

/** The rows that pass all filters, in their order. */
export function filteredRows(table: Table, rows: Int32Array, filters: Record<string, string>): Int32Array {
  const tests = Object.entries(filters).flatMap(([name, text]) => {
    const column = table.columns.find((c) => c.name === name)
    const test = text.trim() === '' ? undefined : testOf(text)
    return column && test ? [{ column, test }] : []
  })
  if (tests.length === 0) return rows
  return rows.filter((row) => tests.every(({ column, test }: { column: Column; test: (cell: number | string | undefined) => boolean }) => test(cellOf(column, row))))
}
