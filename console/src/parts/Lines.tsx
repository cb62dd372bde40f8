import { useCallback } from 'react'
import { show } from '../words'
import { Chart, type Axis, type Painter } from './Chart'
import type { Colours } from './colours'
import { drawLimits, drawLine, type LimitLine } from './marks'

/** A line with its name, which stands where it is read best. */
export type Line = { name: string; x: number[]; y: number[]; colour: keyof Colours; width: number; dots?: boolean; dashed?: boolean; nameAt?: { i: number; above: boolean } }

type Props = { lines: Line[]; limits: LimitLine[]; axes: { x: Axis; y: Axis }; units: { x?: string; y?: string }; label: string; height: number }

/** Lines over x, with the limits that apply to them. */
export function Lines({ lines, limits, axes, units, label, height }: Props) {
  const paint = useCallback<Painter>(
    (context, scales, box, colours, ratio) => {
      context.font = `${11 * ratio}px system-ui, sans-serif`
      context.textBaseline = 'alphabetic'
      drawLimits(context, limits, scales[1], box, colours, ratio)
      for (const line of lines) {
        if (line.dots) drawDots(context, line, scales, colours[line.colour], ratio)
        else {
          context.setLineDash(line.dashed ? [5 * ratio, 4 * ratio] : [])
          drawLine(context, line.x, line.y, scales, colours[line.colour], line.width * ratio)
          context.setLineDash([])
        }
        if (!line.nameAt) continue
        context.fillStyle = colours[line.colour]
        context.textAlign = 'center'
        const half = context.measureText(line.name).width / 2
        const x = Math.min(box.right - half, Math.max(box.left + half + 4 * ratio, scales[0](line.x[line.nameAt.i]!)))
        context.fillText(line.name, x, scales[1](line.y[line.nameAt.i]!) + (line.nameAt.above ? -7 : 15) * ratio)
      }
    },
    [lines, limits],
  )
  return (
    <Chart
      label={label} height={height} x={axes.x} y={axes.y} paint={paint}
      tell={(x, y, near) => {
        let best: { words: string; apart: number } | undefined
        for (const line of lines) {
          const i = nearestIndex(line.x, x)
          const apart = Math.abs(line.y[i]! - y) / near.y
          if (apart < 1 && apart < (best?.apart ?? Infinity)) {
            best = { apart, words: `${line.name}: ${show(line.y[i])} ${units.y ?? ''} at ${show(line.x[i])} ${units.x ?? ''}`.trim() }
          }
        }
        return best?.words ?? null
      }}
    />
  )
}

/** What was measured stands as dots: between them nothing is known. */
function drawDots(context: CanvasRenderingContext2D, line: Line, scales: Parameters<Painter>[1], colour: string, ratio: number) {
  context.fillStyle = colour
  for (const [i, x] of line.x.entries()) {
    context.beginPath()
    context.arc(scales[0](x), scales[1](line.y[i]!), line.width * ratio, 0, 2 * Math.PI)
    context.fill()
  }
}

function nearestIndex(x: number[], at: number): number {
  let best = 0
  for (let i = 1; i < x.length; i++) if (Math.abs(x[i]! - at) < Math.abs(x[best]! - at)) best = i
  return best
}
