import { useEffect, useRef } from 'react'
import uPlot from 'uplot'
import 'uplot/dist/uPlot.min.css'
import { useColours, type Colours } from './colours'
import type { Scale } from './marks'

/** An axis with its name and unit, as every figure has it. */
export type Axis = {
  title?: string
  range: [number, number]
  log?: boolean
  ticks?: { at: number[]; words: string[] } // else chosen by the numbers
  hidden?: boolean
}

/** What is drawn on the canvas of a chart: sizes are in pixels of the screen, times ratio on the canvas. */
export type Painter = (context: CanvasRenderingContext2D, scales: [Scale, Scale], box: DOMRectReadOnly, colours: Colours, ratio: number) => void

type Props = {
  label: string
  height: number
  x: Axis
  y: Axis
  paint: Painter
  /** Drawn on a canvas of its own above the other, so that it can change by itself. */
  paintAbove?: Painter
  /** Calls its argument whenever what is above has changed. */
  onChangeAbove?: (redraw: () => void) => () => void
  /** What is said where the pointer is: null for nothing. */
  tell?: (x: number, y: number, near: { x: number; y: number }) => string | null
  onClick?: (x: number, y: number, near: { x: number; y: number }, more: boolean) => void
  /** A rectangle was drawn with the pointer. */
  onDrag?: (from: { x: number; y: number }, to: { x: number; y: number }) => void
  margins?: { left?: number; right?: number; top?: number }
}

const least = 80 // pixels of width
const reach = 8 // pixels within which the pointer is at a mark

/** A figure on a canvas: axes and scales by uPlot, and what a painter draws between them. Points, Lines and Strips are made of it. */
export function Chart(props: Props) {
  const element = useRef<HTMLDivElement>(null)
  const latest = useRef(props)
  useEffect(() => {
    latest.current = props
  })
  const colours = useColours()
  const { height, x, y } = props
  const shape = JSON.stringify([height, x, y, props.margins])
  useEffect(() => {
    // What is written on the page stands there first: a figure of many marks takes some time.
    let close: (() => void) | undefined
    const timer = setTimeout(() => (close = open(element.current!, latest, colours)))
    return () => {
      clearTimeout(timer)
      close?.()
    }
  }, [shape, colours, props.paint, props.paintAbove, props.onChangeAbove])
  return <div ref={element} className="figure" style={{ height }} role="img" aria-label={props.label} />
}

/** Draws a chart, keeps it as wide as its place, and returns what takes it away. */
function open(holder: HTMLElement, latest: React.RefObject<Props>, colours: Colours): () => void {
  const chart = new uPlot(optionsOf(latest, holder, colours), [[], [[], []]] as unknown as uPlot.AlignedData, holder)
  const above = document.createElement('canvas')
  above.className = 'above'
  chart.over.parentElement!.insertBefore(above, chart.over)
  const redraw = () => drawAbove(chart, above, latest.current, colours)
  chart.hooks.draw!.push(redraw)
  const resize = new ResizeObserver(() => {
    const width = Math.max(least, holder.clientWidth)
    if (width !== chart.width) chart.setSize({ width, height: latest.current.height })
  })
  resize.observe(holder)
  const stop = latest.current.onChangeAbove?.(redraw)
  return () => {
    stop?.()
    resize.disconnect()
    chart.destroy()
  }
}

function optionsOf(latest: React.RefObject<Props>, holder: HTMLElement, colours: Colours): uPlot.Options {
  const { height, x, y, margins } = latest.current
  const font = '11px system-ui, "Segoe UI", Roboto, Arial, sans-serif'
  const axis = (a: Axis, side: number, size: number): uPlot.Axis => ({
    side, show: !a.hidden || Boolean(a.ticks), stroke: colours.slate, font, labelFont: font.replace('11px', '12px'), size, label: a.title && fitting(a.title, side === 3 ? height - 50 : holder.clientWidth - 60), labelSize: a.title ? 18 : 0, labelGap: 2, gap: 4,
    grid: { show: side === 3 && !a.ticks, stroke: colours.line, width: 1 }, ticks: { show: !a.ticks, stroke: colours.slate, width: 1, size: 4 },
    ...(a.ticks ? { splits: () => a.ticks!.at, values: () => a.ticks!.words, filter: (_: uPlot, splits: number[]) => splits } : { values: (_: uPlot, splits: (number | null)[]) => splits.map((v) => (v === null ? '' : short(v))) }),
  })
  const at = (u: uPlot, left: number, top: number) => ({ x: u.posToVal(left, 'x'), y: u.posToVal(top, 'y') })
  const near = (u: uPlot, left: number, top: number) => {
    const here = at(u, left, top)
    const there = at(u, left + reach, top - reach)
    return { x: Math.abs(there.x - here.x), y: Math.abs(there.y - here.y) }
  }
  const tip = document.createElement('div')
  tip.className = 'tip'
  return {
    width: Math.max(least, holder.clientWidth), height, mode: 2, legend: { show: false }, padding: [margins?.top ?? 8, margins?.right ?? 16, x.hidden ? 4 : 0, 0],
    scales: { x: { time: false, range: () => x.range, distr: x.log ? 3 : 1 }, y: { range: () => y.range, distr: y.log ? 3 : 1 } },
    axes: [axis(x, 2, x.hidden ? 0 : 26), { ...axis(y, 3, margins?.left ?? 44) }],
    series: [{}, { paths: () => null, points: { show: false } }] as uPlot.Series[],
    cursor: { drag: { x: Boolean(latest.current.onDrag), y: Boolean(latest.current.onDrag), setScale: false, uni: 4 }, x: false, y: false, points: { show: false } },
    select: { show: true, left: 0, top: 0, width: 0, height: 0 },
    hooks: {
      ready: [
        (u) => {
          u.over.append(tip)
          u.over.addEventListener('click', (event) => {
            const { left, top } = u.cursor
            if (left === undefined || top === undefined || left < 0 || u.select.width > 2) return
            const here = at(u, left, top)
            latest.current.onClick?.(here.x, here.y, near(u, left, top), event.ctrlKey || event.metaKey || event.shiftKey)
          })
        },
      ],
      setCursor: [
        (u) => {
          const { left = -1, top = -1 } = u.cursor
          const here = at(u, left, top)
          const words = left < 0 ? null : latest.current.tell?.(here.x, here.y, near(u, left, top))
          tip.hidden = !words
          if (!words) return
          tip.textContent = words
          tip.style.left = `${Math.min(left + 10, Math.max(0, u.over.clientWidth - tip.offsetWidth - 2))}px`
          tip.style.top = `${Math.max(0, top - tip.offsetHeight - 6)}px`
        },
      ],
      setSelect: [
        (u) => {
          const { left, top, width, height: tall } = u.select
          if (width < 3 && tall < 3) return
          latest.current.onDrag?.(at(u, left, top + tall), at(u, left + width, top))
          u.setSelect({ left: 0, top: 0, width: 0, height: 0 }, false)
        },
      ],
      draw: [(u) => paintOn(u, u.ctx, latest.current.paint, colours)],
    },
  }
}

const letter = 6.4 // pixels of a letter of a title, about

/** A title that is no longer than its axis. */
export function fitting(title: string, room: number): string {
  const most = Math.max(8, Math.floor(room / letter))
  return title.length > most ? `${title.slice(0, most - 1).trimEnd()}…` : title
}

/** A number on an axis, as short as it can be told from its neighbours. */
function short(value: number): string {
  return Math.abs(value) >= 1e6 || (value !== 0 && Math.abs(value) < 1e-3) ? value.toExponential().replace('+', '') : Number(value.toPrecision(7)).toLocaleString('en', { maximumFractionDigits: 9 })
}

/** Where a number of an axis stands on the canvas: worked out once for all marks. */
function scaleOf(u: uPlot, axis: 'x' | 'y', from: number, length: number): Scale {
  const { min, max, distr } = u.scales[axis]!
  const on = distr === 3 ? Math.log : (v: number) => v
  const [low, high] = [on(min ?? 0), on(max ?? 1)]
  return (v) => from + ((on(v) - low) / (high - low)) * length
}

function paintOn(u: uPlot, context: CanvasRenderingContext2D, paint: Painter, colours: Colours) {
  const { left, top, width, height } = u.bbox
  context.save()
  paint(context, [scaleOf(u, 'x', left, width), scaleOf(u, 'y', top + height, -height)], new DOMRectReadOnly(left, top, width, height), colours, uPlot.pxRatio)
  context.restore()
}

function drawAbove(u: uPlot, canvas: HTMLCanvasElement, { paintAbove }: Props, colours: Colours) {
  const { width, height } = u.ctx.canvas
  if (canvas.width !== width || canvas.height !== height) Object.assign(canvas, { width, height })
  const context = canvas.getContext('2d')
  if (!context) return
  context.clearRect(0, 0, width, height)
  if (paintAbove) paintOn(u, context, paintAbove, colours)
}
