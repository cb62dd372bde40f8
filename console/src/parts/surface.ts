import { show } from '../words'
import { shade, type Colours } from './colours'
import type { Grid, LevelLine, Segment } from './contours'
import type { Scale } from './marks'

type Scales = [Scale, Scale]

/** The borders between neighbours, and the ends: as far out as the half of a step where cells are whole. */
export function borders(at: number[], whole = false): number[] {
  const between = at.slice(1).map((v, i) => (v + at[i]!) / 2)
  if (!whole) return [at[0]!, ...between, at.at(-1)!]
  const [first, last] = at.length > 1 ? [between[0]! - at[0]!, at.at(-1)! - between.at(-1)!] : [0.5, 0.5]
  return [at[0]! - first, ...between, at.at(-1)! + last]
}

/** Fills the cells of a grid by their values; those without one stay empty. */
export function paintShades(context: CanvasRenderingContext2D, [toX, toY]: Scales, grid: Grid, [across, up]: [number[], number[]], [low, high]: [number, number], colours: Colours) {
  for (const [r, row] of grid.z.entries())
    for (const [c, z] of row.entries()) {
      if (Number.isNaN(z)) continue
      context.fillStyle = shade((z - low) / (high - low), colours)
      context.fillRect(toX(across[c]!), toY(up[r + 1]!), toX(across[c + 1]!) - toX(across[c]!) + 0.6, toY(up[r]!) - toY(up[r + 1]!) + 0.6)
    }
}

/** Lines of equal value with their numbers. */
export function paintLevels(context: CanvasRenderingContext2D, scales: Scales, lines: LevelLine[], colours: Colours, ratio: number) {
  context.font = `${10 * ratio}px system-ui, sans-serif`
  context.textAlign = 'center'
  for (const { level, segments } of lines) {
    stroke(context, scales, segments, colours.panel, 0.8 * ratio)
    const middle = segments[Math.floor(segments.length / 2)]
    if (!middle) continue
    context.fillStyle = colours.panel
    context.fillText(show(level), scales[0](middle[0]), scales[1](middle[1]) - 3 * ratio)
  }
}

/** Draws a line that is given in pieces. */
export function stroke(context: CanvasRenderingContext2D, [toX, toY]: Scales, segments: Segment[], colour: string, width: number) {
  context.beginPath()
  for (const [x1, y1, x2, y2] of segments) {
    context.moveTo(toX(x1), toY(y1))
    context.lineTo(toX(x2), toY(y2))
  }
  context.strokeStyle = colour
  context.lineWidth = width
  context.stroke()
}
