import type { Data, Layout } from 'plotly.js'
import { useCallback } from 'react'
import type { Output, PointDetail, Requirement } from '../api/types'
import { axis, Figure, type Colours, type Plot } from './Figure'

type Props = { output: Output; design?: PointDetail; designName?: string; nominal?: PointDetail; requirements: Requirement[]; height?: number }

type Curve = PointDetail['curves'][string]

const withUnit = (name: string, unit?: string) => (unit ? `${name}, ${unit}` : name)

/** The sample at which a curve is farthest from another, where its name is read best, and on which side it is. */
export function farthestApart(curve: Curve, other: Curve): { i: number; above: boolean } {
  let best = { i: 0, above: true, apart: -1 }
  let j = 0
  for (const [i, x] of curve.x.entries()) {
    while (j < other.x.length - 1 && other.x[j]! < x) j++
    const difference = curve.y[i]! - other.y[j]!
    const apart = x > other.x.at(-1)! ? -1 : Math.abs(difference)
    if (apart > best.apart) best = { i, above: difference > 0, apart }
  }
  return best
}

const samePeak = 0.02 // a requirement is on the peak of a curve if its value is as near to it, as a share of it

/** The upper limits that apply to a curve: those of requirements on the curve itself, or on its peak. */
export function limitsOf(output: Output, requirements: Requirement[], detail?: PointDetail): Requirement[] {
  const peak = Math.max(...(detail?.curves[output.name]?.y ?? []))
  return requirements.filter((q) => {
    if (q.kind !== 'at_most') return false
    const value = detail?.requirements[q.id]?.value
    const isPeak = q.unit !== undefined && q.unit === output.unit && value !== undefined && Math.abs(value - peak) <= samePeak * Math.abs(peak)
    return q.of === output.name || isPeak
  })
}

/** The range of the values with room for limits and names. */
function room(curves: (Curve | undefined)[], limits: number[]): [number, number] {
  const all = [...curves.flatMap((curve) => curve?.y ?? []), ...limits]
  const [low, high] = all.reduce(([a, b], y) => [Math.min(a, y), Math.max(b, y)], [Infinity, -Infinity])
  const pad = (high - low || 1) * 0.12
  return [low - pad / 2, high + pad]
}

/** A curve of one design over that of the nominal, with the limits of requirements in the same unit that name its peak. */
export function CurveFigure({ output, design, designName = 'this design', nominal, requirements, height = 230 }: Props) {
  const draw = useCallback(
    (c: Colours): Plot => {
      const data: Data[] = []
      const annotations: Partial<Layout['annotations'][number]>[] = []
      const before = nominal?.curves[output.name]
      const after = design?.curves[output.name]
      const add = (curve: Curve | undefined, other: Curve | undefined, name: string, colour: string, width: number) => {
        if (!curve) return
        data.push({ x: curve.x, y: curve.y, mode: 'lines', type: 'scatter', name, line: { color: colour, width }, hovertemplate: `${name}: %{y:.4~g} ${output.unit ?? ''} at %{x:.4~g} ${output.x_unit ?? ''}<extra></extra>` })
        if (!other) return
        const { i, above } = farthestApart(curve, other)
        annotations.push({ x: curve.x[i], y: curve.y[i], text: name, showarrow: false, font: { size: 12, color: colour }, yshift: above ? 11 : -13 })
      }
      add(before, after, 'nominal', after ? c.slate : c.teal, after ? 1.3 : 2.2)
      add(after, before, designName, c.teal, 2.2)
      const limits = limitsOf(output, requirements, design ?? nominal)
      const shapes = limits.map((q) => ({ type: 'line' as const, xref: 'paper' as const, x0: 0, x1: 1, y0: q.limits[0]!, y1: q.limits[0]!, line: { color: c.ochre, width: 1, dash: 'dash' as const } }))
      for (const q of limits) {
        annotations.push({ xref: 'paper', x: 1, y: q.limits[0]!, xanchor: 'right', yanchor: 'bottom', showarrow: false, text: `${q.id}: ${q.limit}`, font: { size: 11, color: c.ochre } })
      }
      const name = output.label ?? output.name
      return {
        data,
        layout: {
          xaxis: { ...axis(withUnit(output.x ?? 'x', output.x_unit), c), showgrid: false },
          yaxis: { ...axis(withUnit(name.toLowerCase(), output.unit), c), range: room([before, after], limits.map((q) => q.limits[0]!)) },
          shapes,
          annotations,
        },
      }
    },
    [output, design, designName, nominal, requirements],
  )
  return <Figure draw={draw} height={height} label={`${output.label ?? output.name} over ${output.x}`} />
}
