import type { Result, Run } from '../api/types'
import { atWork } from '../words'

/** The share of evaluations whose failure puts an answer in doubt. */
const many = 0.05

/** Why evaluations failed, and how often; loud where the answer hangs on it. */
export function Failures({ failures, run }: { failures: NonNullable<Result['failures']>; run: Run }) {
  if (failures.length === 0) return null
  const tried = run.evaluations - run.not_tried
  const none = run.usable === 0 && !atWork(run)
  const loud = none || run.failed > many * tried
  return (
    <div className={loud ? 'note' : 'note calm'}>
      {none ? 'No evaluation gave values.' : `${run.failed.toLocaleString('en')} of ${tried.toLocaleString('en')} evaluations failed${loud ? ': what is best may lie where they did.' : '.'}`}
      <ul className="mb-0 mt-1">
        {failures.map((failure) => (
          <li key={failure.evaluation}>
            {failure.count === 1 ? 'once' : `${failure.count.toLocaleString('en')} times`}, first in evaluation {failure.evaluation}: {failure.reason}
          </li>
        ))}
      </ul>
    </div>
  )
}
