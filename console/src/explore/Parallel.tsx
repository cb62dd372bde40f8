import { useEffect, useMemo, useRef, useState, useSyncExternalStore } from 'react'
import { onSelection, select, selectionOf } from '../api/selection'
import { columnOf, marksOf, type Column, type Table } from '../api/table'
import { useColours, type Colours } from '../parts/colours'
import { show } from '../words'

/** How many lines are drawn at most: more cannot be told apart. */
export const mostLines = 2000

/** How many of the selected ones are drawn above them: they are drawn at every touch. */
export const mostAbove = 100

const height = 300
const [top, foot, side] = [40, 22, 46]

/** A range of an axis that was brushed. */
type Brush = [number, number]

type Props = { run: number; table: Table; columns: Column[]; ranges: [number, number][] }

/**
 * Each evaluation as a line through its numbers, each on an axis of its own. Drawing along an axis selects the lines that pass
 * there; several axes select what passes all of them. A click on an axis frees it.
 */
export function Parallel({ run, table, columns, ranges }: Props) {
  const holder = useRef<HTMLDivElement>(null)
  const below = useRef<HTMLCanvasElement>(null)
  const above = useRef<HTMLCanvasElement>(null)
  const [width, setWidth] = useState(800)
  const [brushes, setBrushes] = useState<Record<string, Brush>>({})
  const [drawn, setDrawn] = useState<{ axis: number; from: number; to: number }>()
  const colours = useColours()
  const marks = useMemo(() => marksOf(table), [table])
  const ratio = useSyncExternalStore(onResize, () => window.devicePixelRatio)
  useEffect(() => {
    const observer = new ResizeObserver(() => setWidth(holder.current!.clientWidth))
    observer.observe(holder.current!)
    return () => observer.disconnect()
  }, [])
  const frame = useMemo(() => frameOf(columns, ranges, width), [columns, ranges, width])
  useEffect(() => {
    const context = prepared(below.current, width, ratio)
    if (context) drawLines(context, frame, table, marks, colours)
  }, [frame, table, marks, colours, width, ratio])
  useEffect(() => {
    const redraw = () => {
      const context = prepared(above.current, width, ratio)
      if (!context) return
      drawSelected(context, frame, table, marks, colours, selectionOf(run))
      for (const [k, column] of columns.entries()) {
        const brush = drawn?.axis === k ? [drawn.from, drawn.to] : brushes[column.name]
        if (brush) drawBrush(context, frame.at(k), frame.up(k, brush[0]!), frame.up(k, brush[1]!), colours)
      }
    }
    redraw()
    return onSelection(redraw)
  }, [run, frame, table, marks, colours, width, ratio, columns, brushes, drawn])
  const apply = (next: Record<string, Brush>) => {
    setBrushes(next)
    select(run, Object.keys(next).length === 0 ? [] : passing(table, columns, next))
  }
  const axisAt = (x: number) => columns.reduce((best, _, k) => (Math.abs(frame.at(k) - x) < Math.abs(frame.at(best) - x) ? k : best), 0)
  const place = (event: React.PointerEvent) => {
    const box = holder.current!.getBoundingClientRect()
    return { x: event.clientX - box.left, y: event.clientY - box.top }
  }
  return (
    <div
      ref={holder} className="parallel" style={{ height }} role="img" aria-label={`parallel coordinates of ${columns.map((c) => c.name).join(', ')}`}
      onPointerDown={(event) => {
        const { x, y } = place(event)
        const axis = axisAt(x)
        const value = frame.value(axis, y)
        event.currentTarget.setPointerCapture(event.pointerId)
        setDrawn({ axis, from: value, to: value })
      }}
      onPointerMove={(event) => drawn && setDrawn({ ...drawn, to: frame.value(drawn.axis, place(event).y) })}
      onPointerUp={() => {
        if (!drawn) return
        setDrawn(undefined)
        const { [columns[drawn.axis]!.name]: _, ...others } = brushes
        const moved = Math.abs(frame.up(drawn.axis, drawn.from) - frame.up(drawn.axis, drawn.to)) > 3
        apply(moved ? { ...others, [columns[drawn.axis]!.name]: [Math.min(drawn.from, drawn.to), Math.max(drawn.from, drawn.to)] } : others)
      }}
    >
      <canvas ref={below} />
      <canvas ref={above} />
    </div>
  )
}

function onResize(changed: () => void) {
  window.addEventListener('resize', changed)
  return () => window.removeEventListener('resize', changed)
}

/** The evaluations whose numbers lie in every brushed range. */
export function passing(table: Table, columns: Column[], brushes: Record<string, Brush>): number[] {
  const evaluations = columnOf(table, 'evaluation').numbers
  const tests = columns.filter((c) => brushes[c.name]).map((c) => ({ numbers: c.numbers, range: brushes[c.name]! }))
  const found: number[] = []
  for (let row = 0; row < table.rows; row++) if (tests.every(({ numbers, range }) => numbers[row]! >= range[0] && numbers[row]! <= range[1])) found.push(evaluations[row]!)
  return found
}

/** Where axes and numbers stand. */
type Frame = { columns: Column[]; at: (k: number) => number; up: (k: number, value: number) => number; value: (k: number, y: number) => number; ranges: [number, number][] }

function frameOf(columns: Column[], ranges: [number, number][], width: number): Frame {
  const tall = height - top - foot
  return {
    columns, ranges,
    at: (k) => side + ((width - 2 * side) * k) / Math.max(1, columns.length - 1),
    up: (k, value) => top + tall * (1 - (value - ranges[k]![0]) / (ranges[k]![1] - ranges[k]![0])),
    value: (k, y) => ranges[k]![0] + (1 - (Math.min(height - foot, Math.max(top, y)) - top) / tall) * (ranges[k]![1] - ranges[k]![0]),
  }
}

function prepared(canvas: HTMLCanvasElement | null, width: number, ratio: number) {
  const context = canvas?.getContext('2d')
  if (!canvas || !context) return null
  Object.assign(canvas, { width: width * ratio, height: height * ratio })
  context.scale(ratio, ratio)
  return context
}

function trace(context: CanvasRenderingContext2D, frame: Frame, row: number) {
  let open = false
  for (let k = 0; k < frame.columns.length; k++) {
    const value = frame.columns[k]!.numbers[row]!
    if (Number.isNaN(value)) continue
    if (open) context.lineTo(frame.at(k), frame.up(k, value))
    else context.moveTo(frame.at(k), frame.up(k, value))
    open = true
  }
}

/** Rows with a step between them, so that no more than so many are taken. */
function* thinned(rows: number): Generator<number> {
  const step = Math.max(1, Math.ceil(rows / mostLines))
  for (let row = 0; row < rows; row += step) yield row
}

function drawLines(context: CanvasRenderingContext2D, frame: Frame, table: Table, marks: Uint8Array, colours: Colours) {
  for (const [kinds, colour, dash, alpha] of [[[1, 2], colours.ochre, [3, 2], 0.35], [[0], colours.teal, [], 0.6]] as const) {
    context.beginPath()
    for (const row of thinned(table.rows)) if ((kinds as readonly number[]).includes(marks[row]!)) trace(context, frame, row)
    context.setLineDash(dash as unknown as number[])
    context.globalAlpha = alpha
    context.strokeStyle = colour
    context.lineWidth = 0.8
    context.stroke()
  }
  context.setLineDash([])
  context.globalAlpha = 1
  context.font = '11px system-ui, sans-serif'
  context.textAlign = 'center'
  for (const [k, column] of frame.columns.entries()) {
    const x = frame.at(k)
    context.strokeStyle = colours.ink
    context.lineWidth = 1
    context.strokeRect(x, top, 0, height - top - foot)
    context.fillStyle = colours.ink
    context.fillText(column.name, x, 11 + 13 * (k % 2)) // neighbours would touch
    context.fillStyle = colours.slate
    const [low, high] = frame.ranges[k]!
    const word = (v: number) => (column.words ? (column.words[Math.round(v)] ?? '') : show(Number(v.toPrecision(4))))
    context.fillText(word(high), x, top - 3)
    context.fillText(word(low), x, height - foot + 13)
  }
}

function drawSelected(context: CanvasRenderingContext2D, frame: Frame, table: Table, marks: Uint8Array, colours: Colours, selected: ReadonlySet<number>) {
  if (selected.size === 0) return
  const evaluations = columnOf(table, 'evaluation').numbers
  const step = Math.max(1, Math.ceil(selected.size / mostAbove))
  let seen = 0
  context.beginPath()
  for (let row = 0; row < table.rows; row++) if (marks[row] !== 3 && selected.has(evaluations[row]!) && seen++ % step === 0) trace(context, frame, row)
  context.strokeStyle = colours.ink
  context.lineWidth = selected.size > 10 ? 0.9 : 1.8
  context.stroke()
}

function drawBrush(context: CanvasRenderingContext2D, x: number, from: number, to: number, colours: Colours) {
  context.fillStyle = colours.teal
  context.globalAlpha = 0.25
  context.fillRect(x - 7, Math.min(from, to), 14, Math.abs(to - from))
  context.globalAlpha = 1
  context.strokeStyle = colours.teal
  context.lineWidth = 1
  context.strokeRect(x - 7, Math.min(from, to), 14, Math.abs(to - from))
}
