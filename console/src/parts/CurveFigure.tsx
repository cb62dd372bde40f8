import { useMemo } from 'react'
import type { EvaluationDetail, Output, Requirement } from '../api/types'
import { titled } from '../words'
import { leastMargins, limitCurvesOf, limitsOf } from './limits'
import { Lines, type Line } from './Lines'

type Props = { output: Output; design?: EvaluationDetail; designName?: string; nominal?: EvaluationDetail; requirements: Requirement[]; height?: number }

type Curve = EvaluationDetail['curves'][string]

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

/** The range of the values with room for limits and names. */
export function room(curves: ({ y: number[] } | undefined)[], limits: number[]): [number, number] {
  const all = [...curves.flatMap((curve) => curve?.y ?? []), ...limits]
  if (all.length === 0) return [0, 1]
  const [low, high] = all.reduce(([a, b], y) => [Math.min(a, y), Math.max(b, y)], [Infinity, -Infinity])
  const pad = (high - low || 1) * 0.12
  return [low - pad, high + pad]
}

/** A curve of one design over that of the nominal, with the limits that are drawn on it. */
export function CurveFigure({ output, design, designName = 'this design', nominal, requirements, height = 230 }: Props) {
  const before = nominal?.curves[output.name]
  const after = design?.curves[output.name]
  const lines = useMemo(() => {
    const all: Line[] = []
    if (before) all.push({ name: 'nominal', ...before, colour: after ? 'slate' : 'teal', width: after ? 1.3 : 2.2, nameAt: after && farthestApart(before, after) })
    if (after) all.push({ name: designName, ...after, colour: 'teal', width: 2.2, nameAt: before && farthestApart(after, before) })
    return [...all, ...limitCurvesOf(output, requirements), ...leastMargins(after ?? before, output, requirements)]
  }, [before, after, designName, output, requirements])
  const limits = useMemo(() => limitsOf(output, requirements), [output, requirements])
  const name = output.label ?? output.name
  return (
    <Lines
      lines={lines} limits={limits} units={{ x: output.x_unit, y: output.unit }} height={height} label={`${name} over ${output.x}`}
      axes={{
        x: { title: titled(output.x ?? 'x', output.x_unit), range: ends([before, after]) },
        y: { title: titled(name, output.unit), range: room(lines, limits.map((limit) => limit.at)) },
      }}
    />
  )
}

/** The first and the last x of some curves. */
export function ends(curves: (Curve | undefined)[]): [number, number] {
  const all = curves.flatMap((curve) => (curve && curve.x.length > 0 ? [curve.x[0]!, curve.x.at(-1)!] : []))
  return all.length > 0 ? [Math.min(...all), Math.max(...all)] : [0, 1]
}
