import { useCallback, useMemo } from 'react'
import { onSelection, select, selectionOf } from '../api/selection'
import { columnOf, type Column, type Table } from '../api/table'
import type { Requirement } from '../api/types'
import { Chart, type Painter } from '../parts/Chart'
import { drawLine } from '../parts/marks'
import { show, titled } from '../words'

export const bars = 24

/** How many numbers lie in each of some equal parts of a range; the evaluations of each. */
export function binned(table: Table, column: Column, [low, high]: [number, number]): number[][] {
  const evaluations = columnOf(table, 'evaluation').numbers
  const parts: number[][] = Array.from({ length: bars }, () => [])
  for (let row = 0; row < table.rows; row++) {
    const v = column.numbers[row]!
    if (v >= low && v <= high) parts[Math.min(bars - 1, Math.floor(((v - low) / (high - low)) * bars))]!.push(evaluations[row]!)
  }
  return parts
}

type Props = { run: number; table: Table; column: Column; range: [number, number]; requirements: Requirement[]; height?: number }

/** How often a value occurs, with the limits of its requirements; what is selected is darker. */
export function Histogram({ run, table, column, range, requirements, height = 200 }: Props) {
  const limits = useMemo(() => requirements.filter((q) => q.of === column.name).flatMap((q) => q.limits.map((at) => ({ at, words: q.id }))), [requirements, column])
  const shown = useMemo<[number, number]>(() => {
    const all = [...range, ...limits.map((l) => l.at)]
    return [Math.min(...all), Math.max(...all)]
  }, [range, limits])
  const parts = useMemo(() => binned(table, column, shown), [table, column, shown])
  const most = Math.max(1, ...parts.map((p) => p.length))
  const edge = useCallback((k: number) => shown[0] + ((shown[1] - shown[0]) * k) / bars, [shown])
  const paint = useCallback<Painter>(
    (context, scales, box, colours, ratio) => {
      for (const [k, part] of parts.entries()) {
        context.fillStyle = colours.teal
        context.globalAlpha = 0.35
        context.fillRect(scales[0](edge(k)) + 1, scales[1](part.length), scales[0](edge(k + 1)) - scales[0](edge(k)) - 1, scales[1](0) - scales[1](part.length))
      }
      context.globalAlpha = 1
      context.font = `${11 * ratio}px system-ui, sans-serif`
      context.fillStyle = colours.ochre
      for (const limit of limits) {
        const x = scales[0](limit.at)
        context.setLineDash([5 * ratio, 4 * ratio])
        drawLine(context, [x, x], [box.top, box.bottom], [(v) => v, (v) => v], colours.ochre, 1.4 * ratio)
        context.setLineDash([])
        context.fillText(limit.words, x + 3 * ratio, box.top + 10 * ratio)
      }
    },
    [parts, edge, limits],
  )
  const paintAbove = useCallback<Painter>(
    (context, scales, _box, colours) => {
      const selected = selectionOf(run)
      if (selected.size === 0) return
      context.fillStyle = colours.ink
      for (const [k, part] of parts.entries()) {
        const n = part.filter((evaluation) => selected.has(evaluation)).length
        if (n > 0) context.fillRect(scales[0](edge(k)) + 1, scales[1](n), scales[0](edge(k + 1)) - scales[0](edge(k)) - 1, scales[1](0) - scales[1](n))
      }
    },
    [run, parts, edge],
  )
  const at = (x: number) => Math.floor(((x - shown[0]) / (shown[1] - shown[0])) * bars)
  return (
    <Chart
      label={`histogram of ${column.name}`} height={height} paint={paint} paintAbove={paintAbove} onChangeAbove={onSelection}
      x={{ title: titled(column.name, column.unit), range: shown }} y={{ title: 'evaluations', range: [0, most * 1.05] }}
      tell={(x) => {
        const part = parts[at(x)]
        return part ? `${part.length} from ${show(edge(at(x)))} to ${show(edge(at(x) + 1))}` : null
      }}
      onClick={(x) => select(run, parts[at(x)] ?? [])}
      onDrag={(from, to) => select(run, parts.slice(Math.max(0, at(from.x)), at(to.x) + 1).flat())}
    />
  )
}
