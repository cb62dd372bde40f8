import { useSyncExternalStore } from 'react'
import type { Column, Table } from '../api/table'
import type { Axis } from '../parts/Chart'
import { titled } from '../words'

/** The ranges of axes that are locked, by bench and column: two runs are seen on the same scale. Kept in the tab. */
const key = (bench: string) => `axes of ${bench}`
const listeners = new Set<() => void>()

type Ranges = Record<string, [number, number]>

const stored = (bench: string) => sessionStorage.getItem(key(bench))

/** The locked ranges of a bench; undefined where the axes are free. */
export function useLocked(bench: string): Ranges | undefined {
  const text = useSyncExternalStore(
    (listener) => {
      listeners.add(listener)
      return () => void listeners.delete(listener)
    },
    () => stored(bench),
  )
  return text ? (JSON.parse(text) as Ranges) : undefined
}

/** Locks the axes of a bench to those of a table, or frees them. */
export function lock(bench: string, table: Table | undefined) {
  if (table) sessionStorage.setItem(key(bench), JSON.stringify(Object.fromEntries(table.columns.map((c) => [c.name, rangeOf(c)]))))
  else sessionStorage.removeItem(key(bench))
  for (const listener of [...listeners]) listener()
}

/** From the least to the most of a column, with room for marks. */
export const rangeOf = (column: Column): [number, number] => spanOf(column.numbers, ...(column.words ? [0, column.words.length - 1] : []))

/** From the least to the most of numbers, and of some others, with room for marks; what is no number does not count. */
export function spanOf(numbers: Iterable<number>, ...others: number[]): [number, number] {
  let [low, high] = [Math.min(...others), Math.max(...others)]
  for (const v of numbers) {
    if (v < low && v > -Infinity) low = v
    if (v > high && v < Infinity) high = v
  }
  if (low > high) return [0, 1]
  const room = (high - low || Math.abs(low) || 1) * 0.05
  return [low - room, high + room]
}

/** The axis of a column. */
export function axisOf(column: Column, locked: Ranges | undefined): Axis {
  const axis: Axis = { title: titled(column.name, column.unit), range: locked?.[column.name] ?? rangeOf(column) }
  if (column.words) axis.ticks = { at: column.words.map((_, i) => i), words: column.words }
  return axis
}
