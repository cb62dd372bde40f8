import type { Bench, Result } from '../api/types'
import { Panel } from '../parts/Panel'
import { RequirementCell } from '../parts/RequirementCell'
import { ToldTable } from '../parts/ToldTable'
import { VerdictTag } from '../parts/VerdictTag'
import { percent, sentence, show, titled } from '../words'

type Scatter = NonNullable<Result['scatter']>

const quantiles = ['1 %', '5 %', '50 %', '95 %', '99 %'] // as the service gives them


/** What scatter of the inputs does to a design: how probable it is that requirements are met, and how values are distributed. */
export function ScatterPanel({ bench, scatter, probabilities }: { bench: Bench; scatter: Scatter; probabilities: NonNullable<Result['probabilities']> }) {
  const values = bench.outputs.filter((o) => scatter.values[o.name])
  return (
    <Panel title="Under scatter" aside={`of ${scatter.inputs.join(', ')}`} style={{ gridColumn: '2 / 4' }}>
      <p className={scatter.together.to < 0.99 ? 'attention' : undefined}>{sentence(scatter.says)}</p>
      {scatter.causes && <p>{scatter.causes}.</p>}
      {scatter.predicted && (
        <p className="note calm">
          {scatter.predicted.toLocaleString('en')} designs were drawn from surrogates, which predict{' '}
          {Object.entries(scatter.q2 ?? {})
            .map(([name, q2]) => `${name} with a Q² of ${q2.toFixed(4)}`)
            .join(', ')}
          .
        </p>
      )}
      <div className="scroll">
        <table className="plain">
          <thead>
            <tr>
              <th>requirement</th>
              <th className="left">limit</th>
              <th>met in</th>
              <th className="left">with a confidence of 95 %</th>
            </tr>
          </thead>
          <tbody>
            {bench.requirements.map((q) => {
              const p = probabilities[q.id]
              return (
                p && (
                  <tr key={q.id}>
                    <RequirementCell requirement={q} />
                    <td className="left">{q.limit}</td>
                    <td>{percent(p.met)}</td>
                    <td className="left nowrap">
                      <Interval {...p} /> <span className="muted">{`${percent(p.from)} to ${percent(p.to)}`}</span>{' '}
                      {p.asked !== undefined && (
                        <>
                          {percent(p.asked)} asked <VerdictTag judged={p.verdict && { verdict: p.verdict }} />
                        </>
                      )}
                    </td>
                  </tr>
                )
              )
            })}
          </tbody>
        </table>
        {scatter.told && <ToldTable told={scatter.told} />}
        <table className="plain points mt-3">
          <thead>
            <tr>
              <th>value</th>
              <th>mean</th>
              <th>deviation</th>
              {quantiles.map((q) => (
                <th key={q}>{q}</th>
              ))}
              <th className="left">from the least to the largest</th>
            </tr>
          </thead>
          <tbody>
            {values.map((o) => {
              const d = scatter.values[o.name]!
              return (
                <tr key={o.name}>
                  <td title={o.label}>{titled(o.name, o.unit)}</td>
                  <td>{show(d.mean.value)}</td>
                  <td>{show(d.deviation)}</td>
                  {d.quantiles.map((q, i) => (
                    <td key={quantiles[i]} title={`between ${show(q.from)} and ${show(q.to)}`}>
                      {show(q.value)}
                    </td>
                  ))}
                  <td className="left">
                    <Counts counts={d.counts} label={`${o.name} from ${show(d.least)} to ${show(d.largest)}`} />
                  </td>
                </tr>
              )
            })}
          </tbody>
        </table>
      </div>
    </Panel>
  )
}

/** A probability on its way from 0 to 1, with its limits. */
function Interval({ met, from, to }: { met: number; from: number; to: number }) {
  const wide = 120
  return (
    <svg width={wide} height={16} role="img" aria-label={`${percent(met)}, between ${percent(from)} and ${percent(to)}`}>
      <rect x={0} y={6} width={wide} height={4} rx={2} fill="var(--line)" />
      <rect x={from * wide} y={5} width={Math.max(1, (to - from) * wide)} height={6} fill="var(--teal)" />
      <line x1={met * wide} x2={met * wide} y1={0} y2={16} stroke="var(--ink)" strokeWidth={1.6} />
    </svg>
  )
}

/** A small histogram. */
function Counts({ counts, label }: { counts: number[]; label: string }) {
  const most = Math.max(1, ...counts)
  return (
    <svg width={6 * counts.length} height={24} role="img" aria-label={label}>
      <title>{label}</title>
      {counts.map((count, i) => {
        const height = (22 * count) / most
        return <rect key={i} x={6 * i} y={24 - height} width={5} height={height} fill="var(--teal)" />
      })}
    </svg>
  )
}
