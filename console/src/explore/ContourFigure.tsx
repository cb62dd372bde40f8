import { useCallback, useMemo } from 'react'
import type { Column, Table } from '../api/table'
import { shade } from '../parts/colours'
import type { Painter } from '../parts/Chart'
import { drawRing } from '../parts/marks'
import { Points } from '../parts/Points'
import { show } from '../words'
import { contour, extent, levels, type Grid } from './contours'
import { titled } from './ranges'

type Limit = { at: number; words: string }

type Props = { run: number; table: Table; x: Column; y: Column; grid: Grid; limits: Limit[]; here: { x: number; y: number }; label: string }

/** A surface from above: shades, lines of equal value, the limits of requirements, the evaluations, and the design of the sliders. */
export function ContourFigure({ run, table, x, y, grid, limits, here, label }: Props) {
  const ends = useMemo(() => extent(grid), [grid])
  const lines = useMemo(() => levels(ends, 9).filter((level) => limits.every((limit) => Math.abs(limit.at - level) > 0.03 * (ends[1] - ends[0]))).map((level) => ({ level, segments: contour(grid, level) })), [grid, ends, limits])
  const bounds = useMemo(() => limits.map((limit) => ({ ...limit, segments: contour(grid, limit.at) })), [grid, limits])
  const behind = useCallback<Painter>(
    (context, [toX, toY], _box, colours, ratio) => {
      const [across, up] = [edges(grid.x), edges(grid.y)]
      for (const [r, row] of grid.z.entries())
        for (const [c, z] of row.entries()) {
          context.fillStyle = shade((z - ends[0]) / (ends[1] - ends[0]), colours)
          context.fillRect(toX(across[c]!), toY(up[r + 1]!), toX(across[c + 1]!) - toX(across[c]!) + 0.6, toY(up[r]!) - toY(up[r + 1]!) + 0.6)
        }
      context.font = `${10 * ratio}px system-ui, sans-serif`
      context.textAlign = 'center'
      const stroke = (segments: (typeof lines)[number]['segments'], colour: string, width: number) => {
        context.beginPath()
        for (const [x1, y1, x2, y2] of segments) {
          context.moveTo(toX(x1), toY(y1))
          context.lineTo(toX(x2), toY(y2))
        }
        context.strokeStyle = colour
        context.lineWidth = width * ratio
        context.stroke()
      }
      for (const { level, segments } of lines) {
        stroke(segments, colours.panel, 0.8)
        const middle = segments[Math.floor(segments.length / 2)]
        if (!middle) continue
        context.fillStyle = colours.panel
        context.fillText(show(level), toX(middle[0]), toY(middle[1]) - 3 * ratio)
      }
      for (const { words, segments } of bounds) {
        stroke(segments, colours.panel, 4.4)
        stroke(segments, colours.ochre, 2.2)
        const end = segments[0]
        if (!end) continue
        context.font = `600 ${11 * ratio}px system-ui, sans-serif`
        context.lineWidth = 3 * ratio
        context.strokeStyle = colours.panel
        context.textAlign = 'left'
        context.strokeText(words, toX(end[0]) + 4 * ratio, toY(end[1]) - 5 * ratio)
        context.fillStyle = colours.ochre
        context.fillText(words, toX(end[0]) + 4 * ratio, toY(end[1]) - 5 * ratio)
      }
    },
    [grid, ends, lines, bounds],
  )
  const before = useCallback<Painter>((context, [toX, toY], _box, colours, ratio) => drawRing(context, toX(here.x), toY(here.y), colours, 7 * ratio), [here.x, here.y])
  return (
    <Points
      run={run} table={table} x={x} y={y} behind={behind} before={before} height={380} size={2.4} label={label}
      axes={{ x: { title: titled(x.name, x.unit), range: [grid.x[0]!, grid.x.at(-1)!] }, y: { title: titled(y.name, y.unit), range: [grid.y[0]!, grid.y.at(-1)!] } }}
    />
  )
}

/** The borders between neighbours, and the ends. */
const edges = (at: number[]): number[] => [at[0]!, ...at.slice(1).map((v, i) => (v + at[i]!) / 2), at.at(-1)!]
