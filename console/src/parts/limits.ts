import type { EvaluationDetail, Output, Requirement } from '../api/types'
import { show } from '../words'
import type { Line } from './Lines'

type Curve = EvaluationDetail['curves'][string]

const on = (output: Output, requirements: Requirement[]) => requirements.filter((q) => q.on?.includes(output.name))

/** The limits that are drawn across a curve: the bench says which. */
export const limitsOf = (output: Output, requirements: Requirement[]): { at: number; words: string }[] =>
  on(output, requirements).flatMap((q) => q.limits.map((at) => ({ at, words: `${q.id}: ${q.limit}` })))

/** The limits that are curves themselves. */
export const limitCurvesOf = (output: Output, requirements: Requirement[]): Line[] =>
  on(output, requirements).flatMap((q) => (q.curve ? [{ name: q.id, ...q.curve, colour: 'ochre' as const, width: 1.2, dashed: true, nameAt: { i: q.curve.x.length - 1, above: q.kind === 'under' } }] : []))

/** A curve at x, on the line between its samples; undefined where it does not reach. */
function at({ x: xs, y: ys }: Curve, x: number): number | undefined {
  const i = xs.findIndex((sample) => sample >= x)
  if (i < 0 || (i === 0 && xs[0]! > x)) return undefined
  if (i === 0 || xs[i] === xs[i - 1]) return ys[i]
  return ys[i - 1]! + ((ys[i]! - ys[i - 1]!) * (x - xs[i - 1]!)) / (xs[i]! - xs[i - 1]!)
}

/** The margin of a requirement at a sample of a curve; undefined where it limits nothing there. */
function marginAt(q: Requirement, x: number, y: number): number | undefined {
  const [first, second] = q.limits
  switch (q.kind) {
    case 'at_most':
      return first! - y
    case 'at_least':
      return y - first!
    case 'between':
      return Math.min(y - first!, second! - y)
    case 'equals':
      return (q.within ?? 0) - Math.abs(y - first!)
  }
  const limit = q.curve && at(q.curve, x)
  return limit === undefined ? undefined : q.kind === 'under' ? limit - y : y - limit
}

/** Where a curve has the least margin of each requirement that is drawn on it, as a dot. */
export const leastMargins = (curve: Curve | undefined, output: Output, requirements: Requirement[]): Line[] =>
  on(output, requirements).flatMap((q) => {
    let least: { i: number; margin: number } | undefined
    for (const [i, x] of (curve?.x ?? []).entries()) {
      const margin = marginAt(q, x, curve!.y[i]!)
      if (margin !== undefined && margin < (least?.margin ?? Infinity)) least = { i, margin }
    }
    if (!least) return []
    return [{ name: `the least margin of ${q.id}, ${show(least.margin)} ${q.unit ?? ''}`.trim(), x: [curve!.x[least.i]!], y: [curve!.y[least.i]!], colour: least.margin < 0 ? 'ochre' : 'teal', width: 4, dots: true }]
  })
