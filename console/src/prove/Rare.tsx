import type { Bench, Result } from '../api/types'
import { Panel } from '../parts/Panel'
import { RequirementCell } from '../parts/RequirementCell'
import { VerdictTag } from '../parts/VerdictTag'
import { show } from '../words'

type Rare = NonNullable<Result['rare']>
type Worst = NonNullable<Result['worst']>

/** How rarely each requirement is missed, and its most probable failure point. */
export function RarePanel({ bench, rare, probabilities }: { bench: Bench; rare: Rare; probabilities: NonNullable<Result['probabilities']> }) {
  return (
    <Panel title="How rarely requirements are missed" aside="about the most probable failure points" style={{ gridColumn: '2 / 4' }}>
      <div className="scroll">
        <table className="plain">
          <thead>
            <tr>
              <th>requirement</th>
              <th>probability of violation</th>
              <th>reliability index</th>
              <th className="left">what leads to it</th>
              <th className="left" />
            </tr>
          </thead>
          <tbody>
            {bench.requirements.map((q) => {
              const one = rare[q.id]
              if (!one) return null
              const p = probabilities[q.id]
              return (
                <tr key={q.id}>
                  <RequirementCell requirement={q} case={one.case} />
                  <td title={one.miss && `between ${show(one.miss.from)} and ${show(one.miss.to)}`}>{show(one.miss?.value)}</td>
                  <td>{one.found ? show(one.index) : ''}</td>
                  <td className="left wrap">
                    {one.found && one.shares ? <Shares shares={one.shares} /> : null} {one.says}
                  </td>
                  <td className="left nowrap">{p?.verdict && <VerdictTag judged={{ verdict: p.verdict }} />}</td>
                </tr>
              )
            })}
          </tbody>
        </table>
      </div>
      <p className="note mb-0">The reliability index is how many standard deviations the most probable failure point is from the median. A bar has the importance factors of the inputs: dark where more of the input leads to the violation, light where less does.</p>
    </Panel>
  )
}

/** The shares of inputs in a miss, as one bar. */
function Shares({ shares }: { shares: Record<string, number> }) {
  const wide = 140
  const names = Object.keys(shares).sort((a, b) => Math.abs(shares[b]!) - Math.abs(shares[a]!))
  const widths = names.map((name) => Math.abs(shares[name]!) * wide)
  const label = names.map((name) => `${name} ${show(Number((100 * Math.abs(shares[name]!)).toPrecision(2)))} %`).join(', ')
  return (
    <svg width={wide} height={12} role="img" aria-label={label}>
      <title>{label}</title>
      {names.map((name, i) => (
        <rect key={name} x={widths.slice(0, i).reduce((a, b) => a + b, 0)} y={1} width={Math.max(0, widths[i]! - 1)} height={10} fill={shares[name]! > 0 ? 'var(--teal)' : 'var(--line)'} stroke="var(--slate)" strokeWidth={0.5} />
      ))}
    </svg>
  )
}

/** The least margin of each requirement within the tolerances. */
export function WorstPanel({ bench, worst }: { bench: Bench; worst: Worst }) {
  return (
    <Panel title="The worst within the tolerances" aside="least margins" style={{ gridColumn: '2 / 4' }}>
      <div className="scroll">
        <table className="plain">
          <thead>
            <tr>
              <th>requirement</th>
              <th className="left">limit</th>
              <th>at worst</th>
              <th>margin</th>
              <th className="left" />
              <th className="left">where</th>
            </tr>
          </thead>
          <tbody>
            {bench.requirements.map((q) => {
              const one = worst[q.id]
              return (
                one && (
                  <tr key={q.id}>
                    <RequirementCell requirement={q} case={one.case} />
                    <td className="left">{q.limit}</td>
                    <td>{show(one.value)}</td>
                    <td>{show(one.margin)}</td>
                    <td className="left">
                      <VerdictTag judged={{ verdict: one.verdict }} />
                    </td>
                    <td className="left wrap muted">
                      {Object.entries(one.at)
                        .map(([name, value]) => `${name} ${typeof value === 'number' ? show(value) : value}`)
                        .join(', ')}
                    </td>
                  </tr>
                )
              )
            })}
          </tbody>
        </table>
      </div>
    </Panel>
  )
}
