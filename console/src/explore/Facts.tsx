import type { Exploration } from '../api/types'
import { Panel } from '../parts/Panel'

/** How many designs are feasible, and what stands in the way of more. */
export function Facts({ found }: { found: Exploration }) {
  const [first, ...rest] = found.obstacles.says
  return (
    <Panel title="What stands in the way" aside={`${found.evaluations.toLocaleString('en')} evaluations, ${found.usable.toLocaleString('en')} usable`}>
      <p className="fact mb-1">
        <span style={{ color: found.feasible > 0 ? 'var(--teal)' : 'var(--ochre)' }}>{found.feasible > 0 ? '●' : '◇'}</span> {first}
      </p>
      {rest.length > 0 && (
        <ul className="facts">
          {rest.map((says) => (
            <li key={says}>{says}</li>
          ))}
        </ul>
      )}
      {found.remarks.map((remark) => (
        <p className="note" key={remark}>
          {remark}
        </p>
      ))}
    </Panel>
  )
}
