import type { Design, Requirement } from '../api/types'
import { show } from '../words'
import { MarginBar } from './MarginBar'
import { RequirementCell } from './RequirementCell'
import { Value } from './Value'
import { VerdictTag } from './VerdictTag'

type Props = {
  requirements: Requirement[]
  judged: Design['requirements']
  nominal?: Design['requirements']
  name?: string // of the column of values
  compact?: boolean // for a narrow panel: no limits, short bars
  leastMarginFirst?: boolean
}

const noRoom = 1e-6 // of the limit: what is less is rounding

/** A margin in numbers; of a design that stands at the limit it is 0. */
const marginOf = (q: Requirement, margin: number | undefined) =>
  margin !== undefined && Math.abs(margin) < noRoom * Math.max(1e-3, ...q.limits.map(Math.abs)) ? '0' : show(margin)

/** Every requirement with its value, its margin as a bar, and its verdict. */
export function RequirementsTable({ requirements, judged, nominal, name = 'value', compact, leastMarginFirst }: Props) {
  const share = (q: Requirement) => (judged[q.id]?.margin ?? Infinity) / (Math.max(0, ...q.limits.map(Math.abs)) || 1)
  const rows = leastMarginFirst ? [...requirements].sort((a, b) => share(a) - share(b)) : requirements
  return (
    <div className="scroll">
      <table className="plain">
        <thead>
          <tr>
            <th>requirement</th>
            {!compact && <th>limit</th>}
            {nominal && <th>nominal</th>}
            <th>{name}</th>
            <th className="left">margin{compact ? '' : ', reserve hatched'}</th>
            {!compact && <th className="left">verdict</th>}
          </tr>
        </thead>
        <tbody>
          {rows.map((q) => (
            <tr key={q.id}>
              <RequirementCell requirement={q} case={judged[q.id]?.case} compact={compact} />
              {!compact && <td className={q.limits.length === 0 ? 'wrap' : undefined}>{q.limit}</td>}
              {nominal && <td className="muted">{show(nominal[q.id]?.value)}</td>}
              <td>
                <Value value={judged[q.id]?.value} unit={q.unit} />
              </td>
              <td className="left nowrap">
                <MarginBar requirement={q} judged={judged[q.id]} width={compact ? 64 : 150} />{' '}
                <span className="muted">{marginOf(q, judged[q.id]?.margin)}</span>
              </td>
              {!compact && (
                <td className="left">
                  <VerdictTag judged={judged[q.id]} besides={q.decisive ? undefined : q.price ? 'soft' : 'a wish'} />
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
      {!compact && (
        <p className="muted mt-2 mb-0">
          The line is the limit: right of it a requirement is met, left of it missed. The length is the margin as a share of the limit.
        </p>
      )}
    </div>
  )
}
