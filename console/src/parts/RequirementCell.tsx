import type { Requirement } from '../api/types'

/** The name of a requirement in a table: its id, and what it says or is of. */
export const RequirementCell = ({ requirement: q }: { requirement: Requirement }) => (
  <td className="wrap">
    {q.id} {q.says || q.of}
  </td>
)
