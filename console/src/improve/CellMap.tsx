import { useCallback, useMemo } from 'react'
import { Chart, type Painter } from '../parts/Chart'
import { extent, levelLines, type Grid } from '../parts/contours'
import { type Colours } from '../parts/colours'
import { drawMarks, type Marked, type Scale } from '../parts/marks'
import { borders, paintLevels, paintShades } from '../parts/surface'
import { show } from '../words'
import { gridOf, type Cell } from './cells'

type Axis = { name: string; title: string }

/** The best of every cell from above: shades with its value, or with lines of equal value where numbers would touch. Cells without a feasible design are left open, with their mark. */
export function CellMap({ cells, x, y, value, title, words }: { cells: Cell[]; x: Axis; y: Axis; value: string; title: string; words: (cell: Cell) => string }) {
  const grid = useMemo(() => gridOf(cells, x.name, y.name, value), [cells, x.name, y.name, value])
  const [across, up] = useMemo(() => [borders(grid.x, true), borders(grid.y, true)], [grid])
  const ends = useMemo(() => extent(grid), [grid])
  const lines = useMemo(() => levelLines(grid, ends), [grid, ends])
  const open = useMemo(() => openCells(grid), [grid])
  const paint = useCallback<Painter>(
    (context, [toX, toY], _box, colours, ratio) => {
      paintShades(context, [toX, toY], grid, [across, up], ends, colours)
      if (numbersFit(grid)) paintNumbers(context, [toX, toY], grid, colours, ratio)
      else paintLevels(context, [toX, toY], lines, colours, ratio)
      drawMarks({ context, scales: [toX, toY], foot: 0, colours, size: 4 * ratio }, open)
    },
    [grid, across, up, ends, lines, open],
  )
  const tell = (atX: number, atY: number) => {
    const [c, r] = [across.findIndex((edge) => edge > atX) - 1, up.findIndex((edge) => edge > atY) - 1]
    const cell = grid.cells[r]?.[c]
    return cell ? `${x.name} ${show(grid.x[c])}, ${y.name} ${show(grid.y[r])}: ${words(cell)}` : null
  }
  return <Chart label={title} height={340} x={{ title: x.title, range: [across[0]!, across.at(-1)!] }} y={{ title: y.title, range: [up[0]!, up.at(-1)!] }} paint={paint} tell={tell} />
}

const mostNumbers = 12 // in a row, and rows

const numbersFit = (grid: Grid) => grid.x.length <= mostNumbers && grid.y.length <= mostNumbers

function paintNumbers(context: CanvasRenderingContext2D, [toX, toY]: [Scale, Scale], grid: Grid, colours: Colours, ratio: number) {
  context.font = `600 ${12 * ratio}px system-ui, sans-serif`
  context.textAlign = 'center'
  context.lineWidth = 3 * ratio
  context.strokeStyle = colours.panel
  context.fillStyle = colours.ink
  grid.z.forEach((row, r) =>
    row.forEach((value, c) => {
      if (!Number.isFinite(value)) return
      context.strokeText(show(value), toX(grid.x[c]!), toY(grid.y[r]!) + 4 * ratio)
      context.fillText(show(value), toX(grid.x[c]!), toY(grid.y[r]!) + 4 * ratio)
    }),
  )
}

/** The cells that have no feasible design, with their marks. */
function openCells(grid: ReturnType<typeof gridOf>): Marked {
  const open = grid.cells.flatMap((row, r) => row.flatMap((cell, c) => (cell?.state === 'infeasible' || cell?.state === 'failed' ? [{ x: grid.x[c]!, y: grid.y[r]!, mark: cell.state === 'failed' ? 3 : 1 }] : [])))
  return { x: open.map((o) => o.x), y: open.map((o) => o.y), marks: Uint8Array.from(open, (o) => o.mark) }
}
