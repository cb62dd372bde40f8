import type { Requirement } from '../api/types'

type Props = { requirement: Requirement; case?: string; compact?: boolean }

/** The name of a requirement in a table: its id, what it says or is of, and in which case it is worst. */
export const RequirementCell = ({ requirement: q, case: worst, compact }: Props) => (
  <td className="wrap" title={compact ? `${q.says || q.of}: ${q.limit}` : undefined}>
    {q.id} {compact ? q.of : q.says || q.of}
    {worst && <span className="muted"> in {worst}</span>}
  </td>
)
