import type { Bench, Result, Run, Sensitivity } from '../api/types'
import { Panel } from '../parts/Panel'
import { show } from '../words'
import { percent } from './words'

type Rounds = NonNullable<Result['rounds']>['rounds']

/** How sampling in rounds went: points, Q² of each value, and why it went on or ended. */
export function RoundsTable({ rounds }: { rounds: Rounds }) {
  const names = [...new Set(rounds.flatMap((r) => Object.keys(r.q2)))]
  return (
    <Panel title="Rounds of sampling" style={{ gridColumn: '2 / 4' }}>
      <div className="scroll">
        <table className="plain">
          <thead>
            <tr>
              <th>round</th>
              <th>points</th>
              {names.map((name) => (
                <th key={name}>Q² of {name}</th>
              ))}
              <th className="left">why it went on or ended</th>
            </tr>
          </thead>
          <tbody>
            {rounds.map((round, k) => (
              <tr key={round.points}>
                <td>{k + 1}</td>
                <td>{round.points}</td>
                {names.map((name) => (
                  <td key={name}>{show(round.q2[name] === undefined ? undefined : Math.floor(round.q2[name] * 1000) / 1000)}</td>
                ))}
                <td className="left wrap">{round.says}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Panel>
  )
}

const methods: Record<string, string> = {
  'sobol-indices': 'shares of the variance on the solver itself', 'elementary-effects': 'mean absolute effect over the range', correlation: 'correlation of ranks', gradient: 'change over the range, at the rate at the design',
}

/** What a study found by a method that asks the solver itself: a number for each value and input. */
export function StudyFindings({ run, bench, all }: { run: Run; bench: Bench; all: Record<string, Sensitivity> }) {
  const [first] = Object.values(all)
  if (!first || first.by === 'surrogate') return null
  const inputs = bench.inputs.map((i) => i.name).filter((name) => Object.values(all).some((s) => s.inputs[name]))
  const cell = (s: Sensitivity, input: string): string => {
    const i = s.inputs[input]
    if (!i) return '–'
    if (i.total !== undefined) return `${percent(i.first ?? 0)} / ${percent(i.total)}`
    return show(Number((i.absolute ?? i.slope ?? i.rank ?? NaN).toPrecision(3)))
  }
  return (
    <Panel title={`What run ${run.run} found`} aside={`${methods[first.by] ?? first.by}${first.by === 'sobol-indices' ? ': alone / with others' : ''}`} style={{ gridColumn: '2 / 4' }}>
      <div className="scroll">
        <table className="plain">
          <thead>
            <tr>
              <th>input</th>
              {Object.keys(all).map((name) => (
                <th key={name}>{name}</th>
              ))}
            </tr>
          </thead>
          <tbody>
            {inputs.map((input) => (
              <tr key={input}>
                <td>{input}</td>
                {Object.entries(all).map(([name, s]) => (
                  <td key={name}>{cell(s, input)}</td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Panel>
  )
}
