import { useState } from 'react'
import { Button, Form } from 'react-bootstrap'
import { useLeaveOut } from '../api/explore'
import { select } from '../api/selection'
import type { Bench, Exploration, Explored, Influence, Run } from '../api/types'
import { Panel } from '../parts/Panel'
import { Trouble } from '../parts/Trouble'
import { show } from '../words'
import { FigureMenu } from '../parts/FigureMenu'
import { percent, q2Words } from './words'

type Props = { bench: Bench; run: Run; found: Exploration; onHold: (held: Record<string, string>) => void }

/** Which input matters for what, and how well each value is predicted. */
export function Matters({ bench, run, found, onHold }: Props) {
  const first = found.values.find((v) => v.sensitivity.ranking.length > 0) ?? found.values[0]
  const [chosen, setChosen] = useState<string>()
  const value = found.values.find((v) => v.name === chosen) ?? first
  return (
    <>
      <Panel title="Which input matters for what" aside="share of the variance, with what it does together with others" style={{ gridColumn: '2 / 4' }}>
        <OverviewTable found={found} chosen={value?.name} onChoose={setChosen} />
        {found.idle.length > 0 && (
          <p className="note calm">
            {found.idle.join(', ')} {found.idle.length === 1 ? 'matters' : 'matter'} for nothing here.{' '}
            <Button size="sm" variant="outline" onClick={() => onHold(Object.fromEntries(found.idle.map((name) => [name, String(bench.inputs.find((i) => i.name === name)?.nominal ?? '')])))}>
              Hold {found.idle.length === 1 ? 'it' : 'them'} in the next study
            </Button>
          </p>
        )}
        <FigureMenu run={run.run} query={{ kind: 'overview' }} />
      </Panel>
      {value && <ValuePanel key={value.name} run={run} value={value} />}
    </>
  )
}

function OverviewTable({ found, chosen, onChoose }: { found: Exploration; chosen?: string; onChoose: (name: string) => void }) {
  return (
    <div className="scroll">
      <table className="plain overview">
        <thead>
          <tr>
            <th>input</th>
            {found.values.map((v) => (
              <th key={v.name} className="left" aria-current={v.name === chosen ? 'true' : undefined}>
                <button onClick={() => onChoose(v.name)}>{v.name}</button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {found.inputs.map((input) => (
            <tr key={input}>
              <td>{input}</td>
              {found.values.map((v) => (
                <td key={v.name} className="left">
                  <Share value={v.sensitivity.unpredictable ? undefined : v.sensitivity.inputs[input]?.total} />
                </td>
              ))}
            </tr>
          ))}
          <tr>
            <td className="muted">not predicted</td>
            {found.values.map((v) => (
              <td key={v.name} className="left">
                <Share value={v.sensitivity.q2 === undefined ? undefined : v.sensitivity.unexplained} pale />
              </td>
            ))}
          </tr>
        </tbody>
      </table>
    </div>
  )
}

/** A share as a bar with its percentage; nothing is said of what is not known. */
function Share({ value, pale }: { value?: number; pale?: boolean }) {
  if (value === undefined) return <span className="muted">?</span>
  return (
    <span className="share">
      <i style={{ width: 34 * Math.min(1, value), background: pale ? 'var(--slate)' : 'var(--teal)' }} />
      <span className={value < 0.005 ? 'muted' : undefined}>{value < 0.005 ? '·' : percent(value)}</span>
    </span>
  )
}

function ValuePanel({ run, value }: { run: Run; value: Explored }) {
  const s = value.sensitivity
  return (
    <Panel title={`What moves ${value.name}`} aside={s.says} style={{ gridColumn: '2 / 4' }}>
      <Ranking value={value} />
      <p className="muted mt-2 mb-0">
        {s.q2 !== undefined && s.q2_limits ? (
          <>
            {s.surrogate}: {q2Words(s.q2)} (95 % limits {show(s.q2_limits[0])} to {show(s.q2_limits[1])}), from {s.used} evaluations.{' '}
            {s.noise ? `Noise of ${show(s.noise)} ${value.unit ?? ''}.` : ''}
          </>
        ) : null}
      </p>
      {value.advice.length > 0 && <p className="note">To predict it better: {value.advice.join('; ')}.</p>}
      <Outliers run={run} value={value} />
      <FigureMenu run={run.run} query={{ kind: 'ranking', of: value.name }} />
    </Panel>
  )
}

/** The measures that a method gives, in the order in which they are drawn. */
const measures: { name: string; of: (i: Influence) => { value?: number; limits?: number[]; alone?: number } }[] = [
  { name: 'share of the variance; dark: alone', of: (i) => ({ value: i.total, limits: i.total_limits, alone: i.first }) },
  { name: 'mean absolute effect over its range', of: (i) => ({ value: i.absolute, limits: i.absolute_limits }) },
  { name: 'change over its range', of: (i) => ({ value: i.slope }) },
  { name: 'correlation of ranks', of: (i) => ({ value: i.rank, limits: i.rank_limits }) },
]

const barWidth = 300

/** The inputs of a value as bars with limits, that which matters most first, and what is not predicted beside them. */
function Ranking({ value }: { value: Explored }) {
  const s = value.sensitivity
  const measure = measures.find((m) => s.ranking.some((name) => m.of(s.inputs[name] ?? {}).value !== undefined))
  if (!measure) return <p className="empty mb-0">{s.says}</p>
  const rows = s.ranking.map((name) => ({ name, ...measure.of(s.inputs[name] ?? {}), rank: s.inputs[name]?.rank }))
  const numbers = rows.flatMap((r) => [r.value ?? 0, ...(r.limits ?? [])])
  const low = Math.min(0, ...numbers)
  const high = Math.max(1e-9, ...numbers, measure === measures[0] ? (s.unexplained ?? 0) : 0)
  const at = (v: number) => ((v - low) / (high - low)) * barWidth
  return (
    <table className="plain ranking">
      <thead>
        <tr>
          <th>input</th>
          <th className="left">{measure.name}</th>
          <th>{measure === measures[0] ? 'share' : 'value'}</th>
          <th>correlation of ranks</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={row.name}>
            <td>{row.name}</td>
            <td className="left">
              <svg width={barWidth + 8} height={16} role="img" aria-label={`${row.name}: ${show(row.value)}${row.limits ? `, ${show(row.limits[0])} to ${show(row.limits[1])}` : ''}`}>
                <rect x={Math.min(at(0), at(row.value ?? 0))} y={3} width={Math.abs(at(row.value ?? 0) - at(0))} height={10} fill="var(--teal)" opacity={row.alone === undefined ? 1 : 0.4} />
                {row.alone !== undefined && <rect x={at(0)} y={3} width={Math.max(0, at(Math.min(row.alone, row.value ?? 0)) - at(0))} height={10} fill="var(--teal)" />}
                {row.limits && <path d={`M${at(row.limits[0]!)} 8H${at(row.limits[1]!)}M${at(row.limits[0]!)} 4v8M${at(row.limits[1]!)} 4v8`} stroke="var(--ink)" fill="none" />}
              </svg>
            </td>
            <td>{measure === measures[0] ? percent(row.value ?? 0) : show(row.value)}</td>
            <td className="muted">{row.rank === undefined ? '' : show(Number(row.rank.toFixed(2)))}</td>
          </tr>
        ))}
        {s.q2 !== undefined && s.unexplained !== undefined && (
          <tr>
            <td className="muted">not predicted</td>
            <td className="left">
              <svg width={barWidth + 8} height={16} aria-hidden>
                <rect x={at(0)} y={3} width={at(Math.min(high, s.unexplained)) - at(0)} height={10} fill="var(--slate)" opacity={0.5} />
              </svg>
            </td>
            <td>{percent(s.unexplained)}</td>
            <td />
          </tr>
        )}
      </tbody>
    </table>
  )
}

/** Evaluations that do not fit to the others, and those that are left out. */
function Outliers({ run, value }: { run: Run; value: Explored }) {
  const leave = useLeaveOut(run.run)
  return (
    <>
      {value.outliers.map((o) => (
        <LeaveOut key={o.evaluation} pending={leave.isPending} onLeave={(reason) => leave.mutate({ value: value.name, evaluation: o.evaluation, reason })}>
          <button className="plain-link" onClick={() => select(run.run, [o.evaluation])}>
            evaluation {o.evaluation}
          </button>{' '}
          is {show(o.value)}, and the others predict {show(o.predicted)}: {show(Number(Math.abs(o.deviations).toPrecision(2)))} deviations.
        </LeaveOut>
      ))}
      {value.left_out.map((left) => (
        <p className="note calm" key={left.evaluation}>
          Evaluation {left.evaluation} is left out: {left.reason}.{' '}
          <button className="plain-link" disabled={leave.isPending} onClick={() => leave.mutate({ value: value.name, evaluation: left.evaluation })}>
            take it back in
          </button>
        </p>
      ))}
      {leave.error && <Trouble error={leave.error} />}
    </>
  )
}

function LeaveOut({ pending, onLeave, children }: { pending: boolean; onLeave: (reason: string) => void; children: React.ReactNode }) {
  const [reason, setReason] = useState<string>()
  return (
    <div className="note">
      {children}{' '}
      {reason === undefined ? (
        <button className="plain-link" onClick={() => setReason('')}>
          leave it out
        </button>
      ) : (
        <Form
          className="d-flex gap-2 mt-1"
          onSubmit={(event) => {
            event.preventDefault()
            if (reason.trim() !== '') onLeave(reason)
          }}
        >
          <Form.Control size="sm" aria-label="reason" placeholder="why it is not to be believed" value={reason} onChange={(e) => setReason(e.target.value)} />
          <Button size="sm" type="submit" disabled={pending || reason.trim() === ''}>
            Leave it out
          </Button>
        </Form>
      )}
    </div>
  )
}
