import { useObstacles } from '../api/explore'
import type { Run } from '../api/types'
import { Panel } from '../parts/Panel'
import { Trouble } from '../parts/Trouble'

/** How many designs are feasible, and what stands in the way of more. */
export function Facts({ run, remarks }: { run: Run; remarks: string[] }) {
  const obstacles = useObstacles(run)
  if (obstacles.error) return <Trouble error={obstacles.error} />
  const [first, ...rest] = obstacles.data?.says ?? []
  return (
    <Panel title="What stands in the way" aside={`${run.evaluations.toLocaleString('en')} evaluations, ${run.usable.toLocaleString('en')} usable`} style={{ gridColumn: '2 / 4' }}>
      <p className="fact mb-1">
        <span style={{ color: run.feasible > 0 ? 'var(--teal)' : 'var(--ochre)' }}>{run.feasible > 0 ? '●' : '◇'}</span> {first}
      </p>
      {rest.length > 0 && (
        <ul className="facts">
          {rest.map((says) => (
            <li key={says}>{says}</li>
          ))}
        </ul>
      )}
      {remarks.map((remark) => (
        <p className="note" key={remark}>
          {remark}
        </p>
      ))}
    </Panel>
  )
}
