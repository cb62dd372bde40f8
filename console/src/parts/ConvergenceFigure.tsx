import { useCallback, useMemo } from 'react'
import { columnOf, marksOf, type Table } from '../api/table'
import { show } from '../words'
import type { Painter } from './Chart'
import { drawLine, drawRing } from './marks'
import { Points } from './Points'

type Props = { run: number; table: Table; objective: string; maximize: boolean; unit?: string; nominal?: number; budget: number; kept?: Uint8Array }

/** The objective by evaluation: feasible, infeasible and failed designs, the nominal one, and the best so far. */
export function ConvergenceFigure({ run, table, objective, maximize, unit, nominal, budget, kept }: Props) {
  const evaluations = columnOf(table, 'evaluation')
  const values = columnOf(table, objective)
  const best = useMemo(() => bestSoFar(table, values.numbers, maximize, kept), [table, values, maximize, kept])
  const range = useMemo(() => scope(table, values.numbers, ...(nominal === undefined ? [] : [nominal])), [table, values, nominal])
  const before = useCallback<Painter>(
    (context, scales, box, colours, ratio) => {
      drawLine(context, best.x, best.y, scales, colours.ink, 1.6 * ratio, true)
      if (nominal !== undefined) drawRing(context, scales[0](0), scales[1](nominal), colours, 5 * ratio)
      const last = best.y.at(-1)
      if (last === undefined) return
      context.font = `${12 * ratio}px system-ui, sans-serif`
      context.fillStyle = colours.ink
      context.textAlign = 'left'
      context.textBaseline = 'middle'
      context.fillText(`best ${show(last)}`, box.right + 6 * ratio, scales[1](last))
    },
    [best, nominal],
  )
  return (
    <Points
      run={run} table={table} x={evaluations} y={values} before={before} height={285} margins={{ right: 84 }} label={`${objective} by evaluation`}
      axes={{ x: { title: 'evaluation', range: evaluationRange(table, budget) }, y: { title: unit ? `${objective}, ${unit}` : objective, range } }}
    />
  )
}

/** The axis of evaluations: up to the budget, or to the last one where time ends the run. */
export function evaluationRange(table: Table, budget: number): [number, number] {
  const last = Math.max(budget, table.rows > 0 ? columnOf(table, 'evaluation').numbers[table.rows - 1]! : 0, 10)
  return [-0.01 * last, 1.02 * last]
}

/** The step line of the best value, up to the last evaluation. */
export function bestSoFar(table: Table, values: Float64Array, maximize: boolean, kept?: Uint8Array) {
  const [evaluations, feasible] = [columnOf(table, 'evaluation').numbers, kept ?? columnOf(table, 'feasible').numbers]
  const x: number[] = []
  const y: number[] = []
  for (let row = 0; row < table.rows; row++) {
    if (feasible[row] !== 1) continue
    const before = y.at(-1)
    if (before === undefined || (maximize ? values[row]! > before : values[row]! < before)) {
      x.push(evaluations[row]!)
      y.push(values[row]!)
    }
  }
  const last = evaluations[table.rows - 1]
  if (x.length > 0 && last! > x.at(-1)!) {
    x.push(last!)
    y.push(y.at(-1)!)
  }
  return { x, y }
}

/** The part of the axis that is worth seeing, with other values on it: a few bad designs must not flatten the rest. */
export function scope(table: Table, values: Float64Array, ...others: number[]): [number, number] {
  const marks = marksOf(table)
  const solved = values.filter((v, row) => marks[row]! <= 1 && Number.isFinite(v))
  const feasible = values.filter((v, row) => marks[row] === 0 && Number.isFinite(v))
  const sorted = (feasible.length > 0 ? feasible : solved).sort()
  if (sorted.length === 0 && others.length === 0) return [0, 1]
  const low = Math.min(sorted[0] ?? Infinity, ...others)
  const high = Math.max(sorted[Math.min(sorted.length - 1, Math.floor(0.98 * sorted.length))] ?? -Infinity, ...others)
  const room = (high - low || Math.abs(low) || 1) * 0.08
  return [low - room, high + room]
}
