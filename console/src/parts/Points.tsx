import { useCallback, useMemo } from 'react'
import { onSelection, select, selectionOf, toggle } from '../api/selection'
import { columnOf, markKinds, marksOf, type Column, type Table } from '../api/table'
import { show } from '../words'
import { Chart, type Axis, type Painter } from './Chart'
import { drawMarks, drawSelected, drawShaded, shadesOf } from './marks'

type Props = {
  run: number
  table: Table
  x: Column
  y: Column
  axes: { x: Axis; y: Axis }
  label: string
  height: number
  size?: number // of a mark, half its width in pixels
  colour?: Column // that gives the marks their shade
  /** Drawn behind the marks, and before them. */
  behind?: Painter
  before?: Painter
  margins?: { left?: number; right?: number; top?: number }
}

/**
 * Evaluations as marks over two columns. What lies outside of the picture stands at its edge. A click selects the nearest
 * evaluation, with Ctrl one more; a rectangle selects what is in it: in all figures and tables of the run.
 */
export function Points({ run, table, x, y, axes, label, height, size = 3, colour, behind, before, margins }: Props) {
  const marks = useMemo(() => marksOf(table), [table])
  const evaluations = columnOf(table, 'evaluation').numbers
  const { range } = axes.y
  const shown = useMemo(() => {
    const [low, high] = range
    return { x: x.numbers, y: y.numbers.map((v) => Math.min(high, Math.max(low, v))), marks }
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the ends of the range, not the pair
  }, [x, y, marks, range[0], range[1]])
  const third = useMemo(() => colour && shadesOf(colour.numbers), [colour])
  const paint = useCallback<Painter>(
    (context, scales, box, colours, ratio) => {
      behind?.(context, scales, box, colours, ratio)
      const on = { context, scales, foot: box.bottom, colours, size: size * ratio }
      if (third) drawShaded(on, shown, third)
      else drawMarks(on, shown)
      before?.(context, scales, box, colours, ratio)
    },
    [shown, size, third, behind, before],
  )
  const paintAbove = useCallback<Painter>(
    (context, scales, box, colours, ratio) => {
      const selected = selectionOf(run)
      if (selected.size === 0) return
      const rows: number[] = []
      for (let row = 0; row < evaluations.length; row++) if (selected.has(evaluations[row]!)) rows.push(row)
      drawSelected({ context, scales, foot: box.bottom, colours, size: size * ratio }, shown, rows)
    },
    [run, evaluations, shown, size],
  )
  const nearest = (atX: number, atY: number, near: { x: number; y: number }) => {
    let [best, least] = [-1, 1]
    for (let row = 0; row < evaluations.length; row++) {
      const distance = Math.max(Math.abs(shown.x[row]! - atX) / near.x, Math.abs(shown.y[row]! - atY) / near.y)
      if (distance < least) [best, least] = [row, distance]
    }
    return best
  }
  return (
    <Chart
      label={label} height={height} x={axes.x} y={axes.y} paint={paint} paintAbove={paintAbove} onChangeAbove={onSelection} margins={margins}
      tell={(atX, atY, near) => {
        const row = nearest(atX, atY, near)
        if (row < 0) return null
        const value = y.words ? y.words[y.numbers[row]!] : y.numbers[row]
        const reason = table.reasons[evaluations[row]!]
        return `evaluation ${evaluations[row]}, ${words[markKinds[marks[row]!]!]}: ${reason ?? `${show(value)} ${y.unit ?? ''}`}`
      }}
      onClick={(atX, atY, near, more) => {
        const row = nearest(atX, atY, near)
        if (row >= 0 && more) toggle(run, evaluations[row]!)
        else select(run, row < 0 ? [] : [evaluations[row]!])
      }}
      onDrag={(from, to) => {
        const inside: number[] = []
        for (let row = 0; row < evaluations.length; row++) {
          const [px, py] = [shown.x[row]!, shown.y[row]!]
          if (px >= from.x && px <= to.x && py >= from.y && py <= to.y) inside.push(evaluations[row]!)
        }
        select(run, inside)
      }}
    />
  )
}

const words = { feasible: 'feasible', infeasible: 'infeasible', untried: 'not tried', failed: 'failed' }
