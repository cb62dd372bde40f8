import { useMemo } from 'react'
import type { Bench, Result } from '../api/types'
import { spanOf } from '../explore/ranges'
import { Lines, type Line } from '../parts/Lines'
import { Panel } from '../parts/Panel'
import { ToldTable } from '../parts/ToldTable'
import { Value } from '../parts/Value'
import { percent, titled } from '../words'

type Robust = NonNullable<Result['robust']>

/** The objective over scatter by evaluation: designs that keep every requirement, others, and the best so far. */
export function TrailFigure({ trail, title, unit, maximize }: { trail: Robust['trail']; title: string; unit?: string; maximize: boolean }) {
  const lines = useMemo<Line[]>(() => {
    const dots = (name: string, colour: Line['colour'], kept: boolean): Line => {
      const some = trail.filter((t) => t.kept === kept)
      return { name, x: some.map((t) => t.evaluation), y: some.map((t) => t.objective), colour, width: 3, dots: true }
    }
    const best: Line = { name: 'best', x: [], y: [], colour: 'ink', width: 1.6 }
    for (const t of trail.filter((one) => one.kept)) {
      const last = best.y.at(-1)
      const now = last === undefined ? t.objective : maximize ? Math.max(last, t.objective) : Math.min(last, t.objective)
      best.x.push(t.evaluation, t.evaluation) // a step
      best.y.push(last ?? now, now)
    }
    return [best, dots('keeps every requirement', 'teal', true), dots('misses a requirement', 'ochre', false)].filter((l) => l.x.length > 0)
  }, [trail, maximize])
  if (lines.length === 0) return null
  return (
    <Lines
      lines={lines} limits={[]} units={{ y: unit }} height={285} label={`${title} over scatter by evaluation`}
      axes={{ x: { title: 'evaluation', range: spanOf(trail.map((t) => t.evaluation)) }, y: { title: titled(title, unit), range: spanOf(trail.map((t) => t.objective)) } }}
    />
  )
}

/** What the best design does under scatter, beside the one that ignores it. */
export function RobustPanel({ bench, robust }: { bench: Bench; robust: Robust }) {
  const { alone, checked } = robust
  const units = new Map(bench.inputs.map((i) => [i.name, i.unit]))
  const moved = alone && bench.inputs.filter((i) => i.varied && alone.inputs[i.name] !== undefined)
  return (
    <Panel title="Over scatter" aside={`${robust.draws} draws of ${robust.inputs.join(', ')}, the same for every design`}>
      <ToldTable told={robust.told} />
      {alone && moved && (
        <p className="muted mt-2 mb-0">
          The design that ignores scatter is evaluation {alone.evaluation}, after {alone.used} evaluations:{' '}
          {moved.map((i, k) => (
            <span key={i.name}>
              {k > 0 && ', '}
              {i.name} <Value value={alone.inputs[i.name]} unit={units.get(i.name)} />
            </span>
          ))}
          .
        </p>
      )}
      {checked !== undefined && (
        <p className="note calm mt-2 mb-0">
          Predicted by surrogates: the last draws that were computed as well were off by at most {percent(checked)} of the spread of a value. Make a study of kind uncertainty about the design before you believe it.
        </p>
      )}
    </Panel>
  )
}
