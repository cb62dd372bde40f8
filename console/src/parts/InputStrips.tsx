import { useCallback } from 'react'
import type { Input, Points } from '../api/types'
import { show } from '../words'
import { axis, Figure, type Colours, type Plot } from './Figure'

/** Each varied input by evaluation, between lines at the ends of what it can be. */
export function InputStrips({ points, inputs, budget }: { points: Points; inputs: Input[]; budget: number }) {
  const shown = points.inputs.map((name) => inputs.find((i) => i.name === name)).filter((i) => i?.varied) as Input[]
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
      const { lower, upper, ticks } = scaleOf(input)
      const colour = (feasible?: boolean) => (feasible ? c.teal : c.ochre)
      return {
        data: [
          {
            x: points.points.map((p) => p.evaluation), y: points.points.map((p) => heightOf(input, p.design[column]!)), mode: 'markers' as const, type: 'scatter' as const,
            marker: {
              size: 3.5, color: points.points.map((p) => colour(p.feasible)), symbol: points.points.map((p) => (p.feasible ? 'circle' : 'diamond-open')),
            },
            text: points.points.map((p) => show(p.design[column])), hovertemplate: `evaluation %{x}: %{text} ${input.unit ?? ''}<extra></extra>`,
          },
        ],
        layout: {
          margin: { l: 56, r: 84, t: 22, b: last ? 36 : 6 },
          xaxis: { ...axis(last ? 'evaluation' : '', c), range: [-0.01 * budget, 1.02 * Math.max(budget, 10)], showgrid: false, showticklabels: last, showline: false, ticks: last ? ('outside' as const) : ('' as const) },
          yaxis: {
            ...axis('', c), type: input.log ? ('log' as const) : ('linear' as const), tickvals: [lower, upper], ticktext: ticks,
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

/** The ends of what an input can be, and what is written there: words stand at their numbers. */
export function scaleOf(input: Input): { lower: number; upper: number; ticks: [string, string] } {
  const words = input.choices?.words
  if (words) return { lower: 0, upper: words.length - 1, ticks: [words[0]!, words[words.length - 1]!] }
  const numbers = input.choices?.numbers ?? [input.range!.lower, input.range!.upper]
  const [lower, upper] = [numbers[0]!, numbers[numbers.length - 1]!]
  return { lower, upper, ticks: [String(lower), String(upper)] }
}

/** Where a value of an input stands: a word at its number. */
export const heightOf = (input: Input, value: number | string) => (typeof value === 'string' ? (input.choices?.words?.indexOf(value) ?? 0) : value)

function pad(lower: number, upper: number, log?: boolean): [number, number] {
  const [a, b] = log ? [Math.log10(lower), Math.log10(upper)] : [lower, upper]
  const room = (b - a) * 0.08
  return [a - room, b + room]
}
