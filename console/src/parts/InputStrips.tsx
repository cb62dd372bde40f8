import { useCallback } from 'react'
import type { Input, Points } from '../api/types'
import { axis, Figure, type Colours, type Plot } from './Figure'

/** Each varied input by evaluation, between lines at the ends of its range. */
export function InputStrips({ points, inputs, budget }: { points: Points; inputs: Input[]; budget: number }) {
  const shown = points.inputs.map((name) => inputs.find((i) => i.name === name)).filter((i) => i?.range !== undefined) as Input[]
  return (
    <>
      {shown.map((input, i) => (
        <Strip key={input.name} points={points} input={input} budget={budget} last={i === shown.length - 1} />
      ))}
    </>
  )
}

function Strip({ points, input, budget, last }: { points: Points; input: Input; budget: number; last: boolean }) {
  const draw = useCallback(
    (c: Colours): Plot => {
      const column = points.inputs.indexOf(input.name)
      const { lower, upper } = input.range!
      const colour = (feasible?: boolean) => (feasible ? c.teal : c.ochre)
      return {
        data: [
          {
            x: points.points.map((p) => p.evaluation), y: points.points.map((p) => p.design[column]!), mode: 'markers' as const, type: 'scatter' as const,
            marker: {
              size: 3.5, color: points.points.map((p) => colour(p.feasible)), symbol: points.points.map((p) => (p.feasible ? 'circle' : 'diamond-open')),
            },
            hovertemplate: `evaluation %{x}: %{y:.4~g} ${input.unit ?? ''}<extra></extra>`,
          },
        ],
        layout: {
          margin: { l: 56, r: 84, t: 22, b: last ? 36 : 6 },
          xaxis: { ...axis(last ? 'evaluation' : '', c), range: [-0.01 * budget, 1.02 * Math.max(budget, 10)], showgrid: false, showticklabels: last, showline: false, ticks: last ? ('outside' as const) : ('' as const) },
          yaxis: {
            ...axis('', c), type: input.log ? ('log' as const) : ('linear' as const), tickvals: [lower, upper], ticktext: [String(lower), String(upper)],
            showgrid: false, showline: false, ticks: '' as const, range: pad(lower, upper, input.log),
          },
          shapes: [lower, upper].map((y) => ({ type: 'line' as const, xref: 'paper' as const, x0: 0, x1: 1, y0: y, y1: y, line: { color: c.slate, width: 1 } })),
          annotations: [
            { xref: 'paper' as const, yref: 'paper' as const, x: 0, y: 1, xanchor: 'left' as const, yanchor: 'bottom' as const, showarrow: false, yshift: 1, text: `${input.name} <span style="color:${c.slate}">${input.unit ?? ''}</span>`, font: { size: 12, color: c.ink } },
          ],
        },
      }
    },
    [points, input, budget, last],
  )
  return <Figure draw={draw} height={last ? 116 : 80} label={`${input.name} by evaluation`} />
}

function pad(lower: number, upper: number, log?: boolean): [number, number] {
  const [a, b] = log ? [Math.log10(lower), Math.log10(upper)] : [lower, upper]
  const room = (b - a) * 0.08
  return [a - room, b + room]
}
