import type { Data, Layout } from 'plotly.js'
import { useCallback } from 'react'
import type { Output, PointDetail, Requirement } from '../api/types'
import { axis, Figure, type Colours, type Plot } from './Figure'

type Props = { output: Output; design?: PointDetail; designName?: string; nominal?: PointDetail; requirements: Requirement[]; height?: number }

/** A curve of one design over that of the nominal, with the limits of requirements in the same unit that name its peak. */
export function CurveFigure({ output, design, designName = 'this design', nominal, requirements, height = 230 }: Props) {
  const draw = useCallback(
    (c: Colours): Plot => {
      const data: Data[] = []
      const annotations: Partial<Layout['annotations'][number]>[] = []
      const add = (detail: PointDetail | undefined, name: string, colour: string, width: number, labelAt: number) => {
        const curve = detail?.curves[output.name]
        if (!curve) return
        data.push({ x: curve.x, y: curve.y, mode: 'lines', type: 'scatter', name, line: { color: colour, width }, hovertemplate: `${name}: %{y:.4~g} ${output.unit ?? ''} at %{x:.4~g}<extra></extra>` })
        const i = Math.floor(labelAt * (curve.x.length - 1))
        annotations.push({ x: curve.x[i], y: curve.y[i], text: name, showarrow: false, font: { size: 12, color: colour }, yshift: 10, xanchor: 'left' })
      }
      const alone = !design
      add(nominal, 'nominal', alone ? c.teal : c.slate, alone ? 2.2 : 1.3, 0.28)
      add(design, designName, c.teal, 2.2, 0.16)
      const limits = requirements.filter((q) => q.kind === 'at_most' && q.unit !== undefined && q.unit === output.unit)
      const shapes = limits.map((q) => ({ type: 'line' as const, xref: 'paper' as const, x0: 0, x1: 1, y0: q.limits[0]!, y1: q.limits[0]!, line: { color: c.ochre, width: 1, dash: 'dash' as const } }))
      for (const q of limits) {
        annotations.push({ xref: 'paper', x: 1, y: q.limits[0]!, xanchor: 'right', yanchor: 'bottom', showarrow: false, text: `${q.id}: ${q.limit}`, font: { size: 11, color: c.ochre } })
      }
      const name = output.label ?? output.name
      return {
        data,
        layout: { xaxis: { ...axis(output.x ?? 'x', c), showgrid: false }, yaxis: axis(output.unit ? `${name.toLowerCase()}, ${output.unit}` : name, c), shapes, annotations },
      }
    },
    [output, design, designName, nominal, requirements],
  )
  return <Figure draw={draw} height={height} label={`${output.label ?? output.name} over ${output.x}`} />
}
