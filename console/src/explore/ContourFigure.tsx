import { useCallback, useMemo } from 'react'
import type { Column, Table } from '../api/table'
import type { Painter } from '../parts/Chart'
import { drawRing } from '../parts/marks'
import { Points } from '../parts/Points'
import { titled } from '../words'
import { contour, extent, levelLines, type Grid } from '../parts/contours'
import { borders, paintLevels, paintShades, stroke } from '../parts/surface'

type Limit = { at: number; words: string }

type Props = { run: number; table: Table; x: Column; y: Column; grid: Grid; limits: Limit[]; here: { x: number; y: number }; label: string }

/** A surface from above: shades, lines of equal value, the limits of requirements, the evaluations, and the design of the sliders. */
export function ContourFigure({ run, table, x, y, grid, limits, here, label }: Props) {
  const ends = useMemo(() => extent(grid), [grid])
  const lines = useMemo(() => levelLines(grid, ends, (level) => limits.every((limit) => Math.abs(limit.at - level) > 0.03 * (ends[1] - ends[0]))), [grid, ends, limits])
  const bounds = useMemo(() => limits.map((limit) => ({ ...limit, segments: contour(grid, limit.at) })), [grid, limits])
  const behind = useCallback<Painter>(
    (context, [toX, toY], _box, colours, ratio) => {
      paintShades(context, [toX, toY], grid, [borders(grid.x), borders(grid.y)], ends, colours)
      paintLevels(context, [toX, toY], lines, colours, ratio)
      for (const { words, segments } of bounds) {
        stroke(context, [toX, toY], segments, colours.panel, 4.4 * ratio)
        stroke(context, [toX, toY], segments, colours.ochre, 2.2 * ratio)
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
