import type { Result } from '../api/types'

/** Why evaluations failed, and how often; loud where the answer hangs on it. */
export function Failures({ failures }: { failures: NonNullable<Result['failures']> }) {
  return (
    <div className={failures.doubt ? 'note' : 'note calm'}>
      {failures.says}.
      <ul className="mb-0 mt-1">
        {failures.reasons.map((failure) => (
          <li key={failure.evaluation}>
            {failure.count === 1 ? 'once' : `${failure.count.toLocaleString('en')} times`}, first in evaluation {failure.evaluation}: {failure.reason}
            {failure.where && `; ${failure.where}`}
          </li>
        ))}
      </ul>
    </div>
  )
}
