import type { Bench, Result } from '../api/types'
import { Panel } from '../parts/Panel'
import { ToldTable } from '../parts/ToldTable'
import { Value } from '../parts/Value'
import { percent } from '../words'

type Robust = NonNullable<Result['robust']>

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
