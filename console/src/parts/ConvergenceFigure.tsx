import type { Data } from 'plotly.js'
import { useCallback } from 'react'
import type { Point, Points } from '../api/types'
import { show } from '../words'
import { axis, Figure, type Colours, type Plot } from './Figure'

type Props = { points: Points; objective: string; maximize: boolean; unit?: string; nominal?: number; budget: number }

/** The objective by evaluation: feasible, infeasible and failed designs, the nominal one, and the best so far. */
export function ConvergenceFigure({ points, objective, maximize, unit, nominal, budget }: Props) {
  const draw = useCallback(
    (c: Colours): Plot => {
      const column = points.columns.indexOf(objective)
      const value = (p: Point) => p.values?.[column] ?? undefined
      const solved = points.points.filter((p) => p.state === 'ok' && value(p) !== undefined)
      const feasible = solved.filter((p) => p.feasible)
      const infeasible = solved.filter((p) => !p.feasible)
      const failed = points.points.filter((p) => p.state === 'failed' || p.state === 'timed out')
      const best = bestSoFar(feasible, (p) => value(p)!, maximize, points.points.at(-1)?.evaluation)
      const [low, high] = scope(feasible.length ? feasible : solved, (p) => value(p)!, nominal)
      const data: Data[] = [
        marks(infeasible, value, 'infeasible', { symbol: 'diamond-open', color: c.ochre, size: 7, line: { width: 1.3, color: c.ochre } }, low, high),
        marks(feasible, value, 'feasible', { symbol: 'circle', color: c.teal, size: 6 }, low, high),
        {
          x: failed.map((p) => p.evaluation), y: failed.map(() => 0.02), yaxis: 'y2', mode: 'markers', type: 'scatter', name: 'failed',
          text: failed.map((p) => p.reason ?? ''), hovertemplate: 'evaluation %{x}, failed: %{text}<extra></extra>',
          marker: { symbol: 'line-ns', size: 8, line: { width: 3, color: c.slate } },
        },
        { x: best.x, y: best.y, mode: 'lines', type: 'scatter', line: { shape: 'hv', color: c.ink, width: 1.6 }, hoverinfo: 'skip', name: 'best so far' },
      ]
      if (nominal !== undefined) {
        data.push({
          x: [0], y: [nominal], mode: 'markers', type: 'scatter', name: 'nominal', hovertemplate: `nominal ${show(nominal)}<extra></extra>`,
          marker: { symbol: 'circle-open', size: 11, color: c.ink, line: { width: 2, color: c.ink } }, cliponaxis: false,
        })
      }
      const last = best.y.at(-1)
      return {
        data,
        layout: {
          margin: { l: 56, r: 84, t: 8, b: 40 },
          xaxis: { ...axis('evaluation', c), range: [-0.01 * budget, 1.02 * Math.max(budget, 10)], showgrid: false },
          yaxis: { ...axis(unit ? `${objective}, ${unit}` : objective, c), range: [low, high] },
          yaxis2: { overlaying: 'y', range: [0, 1], visible: false, fixedrange: true },
          annotations: last === undefined ? [] : [
            { xref: 'paper', x: 1, y: last, text: `best ${show(last)}`, showarrow: false, yanchor: 'middle', xanchor: 'left', xshift: 6, font: { size: 12, color: c.ink } },
          ],
        },
      }
    },
    [points, objective, maximize, unit, nominal, budget],
  )
  return <Figure draw={draw} height={285} label={`${objective} by evaluation`} />
}

function marks(points: Point[], value: (p: Point) => number | undefined, name: string, marker: object, low: number, high: number): Data {
  return {
    x: points.map((p) => p.evaluation),
    y: points.map((p) => Math.min(high, Math.max(low, value(p)!))), // what lies outside of the picture stands at its edge
    customdata: points.map((p) => value(p)!), mode: 'markers', type: 'scatter', name, marker, cliponaxis: false,
    hovertemplate: `evaluation %{x}, ${name}: %{customdata:.4~g}<extra></extra>`,
  }
}

/** The step line of the best value, up to the last evaluation. */
export function bestSoFar(feasible: Point[], value: (p: Point) => number, maximize: boolean, last = 0) {
  const x: number[] = []
  const y: number[] = []
  for (const p of feasible) {
    const v = value(p)
    const before = y.at(-1)
    if (before === undefined || (maximize ? v > before : v < before)) {
      x.push(p.evaluation)
      y.push(v)
    }
  }
  if (x.length > 0 && last > x.at(-1)!) {
    x.push(last)
    y.push(y.at(-1)!)
  }
  return { x, y }
}

/** The part of the axis that is worth seeing: a few bad designs must not flatten the rest. */
export function scope(points: Point[], value: (p: Point) => number, nominal?: number): [number, number] {
  const sorted = points.map(value).sort((a, b) => a - b)
  if (nominal !== undefined) sorted.push(nominal)
  if (sorted.length === 0) return [0, 1]
  const at = (share: number) => sorted[Math.min(sorted.length - 1, Math.floor(share * sorted.length))]!
  let [low, high] = [at(0.02), at(0.98)]
  low = Math.min(low, sorted[0]!, nominal ?? Infinity)
  high = Math.max(high, nominal ?? -Infinity)
  const room = (high - low || Math.abs(low) || 1) * 0.08
  return [low - room, high + room]
}
