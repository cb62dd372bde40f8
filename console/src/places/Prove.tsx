import { useState } from 'react'
import { Button, Form } from 'react-bootstrap'
import { Link, useNavigate, useParams } from 'react-router'
import { useCandidates } from '../api/candidates'
import { useEvaluation, useResult, useRun, useStartRun } from '../api/queries'
import type { Bench, Result, Run } from '../api/types'
import { CurveFigure } from '../parts/CurveFigure'
import { InputsTable } from '../parts/InputsTable'
import { Panel } from '../parts/Panel'
import { RequirementsTable } from '../parts/RequirementsTable'
import { Trouble } from '../parts/Trouble'
import { Value } from '../parts/Value'
import { ReportLinks } from '../prove/ReportLinks'
import { atWork, change, runName, sentence, show, summary } from '../words'
import { foreign, isStudy, studyOf, useOwnBench, usePlace } from './place'

/** Prove: the verdicts and margins of a verified design, before and after. */
export function Prove() {
  const { bench, runs } = usePlace()
  const navigate = useNavigate()
  const verifications = runs.filter((r) => r.question.kind === 'verify')
  const named = useParams().run
  const chosen = named ? Number(named) : verifications[0]?.run
  const run = useRun(chosen)
  const open = (id: number) => void navigate(`/bench/${encodeURIComponent(bench.name)}/prove/${id}`)
  return (
    <main style={{ gridTemplateColumns: 'minmax(0, 1fr) 380px' }}>
      {run.data && foreign(run.data, bench, 'verify') ? <Trouble error={new Error(foreign(run.data, bench, 'verify'))} /> : run.data ? <Verification bench={bench} run={run.data} runs={runs} onStarted={open} /> : <NothingYet bench={bench} runs={runs} onStarted={open} />}
      {run.error && <Trouble error={run.error} />}
      {verifications.length > 1 && (
        <Panel title="All verifications" style={{ gridColumn: '1 / 3' }}>
          <table className="plain">
            <tbody>
              {verifications.map((v) => (
                <tr key={v.run} className={`link ${v.run === chosen ? 'chosen' : ''}`} onClick={() => open(v.run)}>
                  <td>
                    <Link to={`/bench/${encodeURIComponent(bench.name)}/prove/${v.run}`} aria-current={v.run === chosen ? 'page' : undefined} onClick={(e) => e.stopPropagation()}>
                      run {v.run}
                    </Link>
                    : candidate of {runName(v)}
                  </td>
                  <td>revision {v.revision}</td>
                  <td className="left">{v.headline ? (v.headline.feasible ? 'every requirement is met' : 'requirements are missed') : v.state}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </Panel>
      )}
    </main>
  )
}

type Started = { onStarted: (id: number) => void }

/** Runs of studies with a best design, newest first. */
const withBest = (runs: Run[]) => runs.filter((r) => isStudy(r) && r.headline && !atWork(r))

/** Asks whose best design is verified: by default that of the newest run. */
function VerifyBest({ bench, runs, onStarted }: { bench: Bench; runs: Run[] } & Started) {
  const candidates = withBest(runs)
  const [chosen, setChosen] = useState<number>()
  const start = useStartRun(bench.name)
  const run = candidates.find((r) => r.run === chosen) ?? candidates[0]
  if (!run) return null
  return (
    <div>
      <div className="d-flex gap-2">
        {candidates.length > 1 && (
          <Form.Select aria-label="Run whose best design is verified" style={{ width: 'auto' }} value={run.run} onChange={(e) => setChosen(Number(e.target.value))}>
            {candidates.map((r) => (
              <option key={r.run} value={r.run}>
                run {r.run}: {runName(r)}
                {r.headline!.objective === undefined ? '' : `, ${show(r.headline!.objective)}`}
                {r.headline!.feasible ? '' : ', not feasible'}
              </option>
            ))}
          </Form.Select>
        )}
        <Button disabled={start.isPending} onClick={() => start.mutate({ study: 'verify', of: { run: run.run, evaluation: run.headline!.evaluation } }, { onSuccess: (r) => onStarted(r.run) })}>
          Verify the best of run {run.run}
        </Button>
      </div>
      {start.error && <Trouble error={start.error} />}
    </div>
  )
}

function NothingYet({ bench, runs, onStarted }: { bench: Bench; runs: Run[] } & Started) {
  return (
    <Panel first title="Nothing verified yet" style={{ gridColumn: '1 / 3' }}>
      <p className="empty">
        A verification evaluates a candidate afresh on the real solver and on the bench as it is now, and gives a verdict and a margin for each
        requirement. {withBest(runs).length > 0 ? 'Take the best design of a run, or another from the terminal with ' : 'First look for a good design in Improve; then verify it here or with '}
        <code>ropebench verify RUN</code>.
      </p>
      <VerifyBest bench={bench} runs={runs} onStarted={onStarted} />
    </Panel>
  )
}

function Verification({ bench: newest, run, runs, onStarted }: { bench: Bench; run: Run; runs: Run[] } & Started) {
  const bench = useOwnBench(newest, run)
  const result = useResult(run)
  const found = result.data
  const nominal = useEvaluation(atWork(run) ? undefined : run.run, 1)
  const candidate = useEvaluation(found?.best ? run.run : undefined, found?.best?.evaluation)
  const origin = runs.find((r) => r.run === run.question.of?.run)
  const curves = bench.outputs.filter((o) => o.kind === 'curve')
  return (
    <>
      <Head bench={bench} run={run} found={found} runs={runs} onStarted={onStarted} />
      {result.error && <Trouble error={result.error} />}
      {found?.best && (
        <>
          <Panel title="Requirements" aside="least margin first">
            <RequirementsTable requirements={bench.requirements} judged={found.best.requirements} nominal={found.nominal?.requirements} name="candidate" leastMarginFirst />
          </Panel>
          {curves.map((curve) => (
            <Panel key={curve.name} title={`${curve.label ?? curve.name} over ${curve.x}`}>
              <CurveFigure output={curve} design={candidate.data} designName="candidate" nominal={nominal.data} requirements={bench.requirements} height={250} />
            </Panel>
          ))}
          {found.neighbourhood && <Neighbourhood found={found.neighbourhood} />}
          <Panel title="Inputs, before and after">
            <InputsTable inputs={bench.inputs} design={found.best.inputs} ends={found.at_ends} name="candidate" />
          </Panel>
          <Moved bench={bench} found={found} objective={origin && studyOf(bench, origin)?.objective} />
        </>
      )}
    </>
  )
}

function Head({ bench, run, found, runs, onStarted }: { bench: Bench; run: Run; found?: Result; runs: Run[] } & Started) {
  const start = useStartRun(bench.name)
  const of = run.question.of
  const times = found?.repeats?.evaluations.length ?? run.question.repeats ?? 1
  const picked = useCandidates(bench.name).data?.find((c) => c.run === of?.run && c.evaluation === of.evaluation)
  return (
    <Panel style={{ gridColumn: '1 / 3' }}>
      <div className="d-flex align-items-center gap-3 flex-wrap">
        <div style={{ flex: '1 1 320px' }}>
          <h1>
            Candidate of {runName(run)} <span className="unit">verification {run.run}</span>
          </h1>
          <p className="mb-0 mt-1" data-testid="verdict">
            {atWork(run) ? (
              'It is being evaluated on the real solver …'
            ) : found?.best ? (
              <>
                Evaluated afresh {times > 1 ? `${times} times; the worst is shown` : 'once'} with the real solver on revision{' '}
                {run.revision}. <b>{summary(bench.requirements, found.best.requirements)}</b>
              </>
            ) : (
              found && `It gave no values: ${run.last_failure ?? run.reason}`
            )}
          </p>
          {found?.recorded && <p className={found.recorded.differs ? 'note mb-0' : 'muted mb-0'}>{sentence(found.recorded.says)}</p>}
          {run.unreliable && <p className="note">{run.unreliable}.</p>}
          {run.changes && run.changes.length > 0 && (
            <div className="note">
              The bench has changed since, and is at revision {run.newest}: {run.changes.join('; ')}.
            </div>
          )}
          {start.error && <Trouble error={start.error} />}
          {of && found?.best && (
            <div className="mt-2">
              <ReportLinks bench={bench.name} about={picked ? { candidate: picked.name } : { run: of.run, evaluation: of.evaluation }} />
            </div>
          )}
        </div>
        <Button variant="outline" disabled={start.isPending || atWork(run)} onClick={() => start.mutate({ study: 'verify', of, design: of ? undefined : run.question.design, repeats: 3 }, { onSuccess: (r) => onStarted(r.run) })}>
          Repeat 3 times
        </Button>
        <Button variant="outline" disabled={start.isPending || atWork(run)} onClick={() => start.mutate({ study: 'verify', of, design: of ? undefined : run.question.design, around: true }, { onSuccess: (r) => onStarted(r.run) })}>
          Look around
        </Button>
        <VerifyBest bench={bench} runs={runs} onStarted={onStarted} />
      </div>
    </Panel>
  )
}

/** How steep the candidate stands: by which change of one input a requirement would be missed. */
function Neighbourhood({ found }: { found: NonNullable<Result['neighbourhood']> }) {
  return (
    <Panel title="Around it" aside={`${found.neighbours.length} neighbours, one step to each side of every input`}>
      <p>{sentence(found.says)}</p>
      <ul className="mb-0">
        {found.losses.map((l) => (
          <li key={l.requirement}>
            {l.says}
            {l.seen && <span className="tag warn ms-2">its neighbour misses it</span>}
          </li>
        ))}
      </ul>
    </Panel>
  )
}

const worthSaying = 0.05 // a move of less than this share of the nominal is left out

/** Values that no requirement and no objective looks at, and that moved all the same. */
function Moved({ bench, found, objective }: { bench: Bench; found: Result; objective?: string }) {
  const looked = new Set([...bench.requirements.map((q) => q.of), objective])
  const rows = bench.outputs.flatMap((o) => {
    const from = found.nominal?.values[o.name]
    const to = found.best?.values[o.name]
    if (o.kind === 'curve' || looked.has(o.name) || from === undefined || to === undefined) return []
    return Math.abs(to - from) > worthSaying * Math.abs(from) ? [{ output: o, from, to }] : []
  })
  return (
    <Panel title="Moved, though nobody asked">
      {rows.length === 0 ? (
        <p className="empty mb-0">{found.nominal ? 'No other value moved by more than 5 %.' : 'The nominal design gave no values to compare with.'}</p>
      ) : (
        <table className="plain">
          <thead>
            <tr>
              <th>value</th>
              <th>nominal</th>
              <th>candidate</th>
              <th>change</th>
            </tr>
          </thead>
          <tbody>
            {rows.map(({ output, from, to }) => (
              <tr key={output.name} title={output.name}>
                <td className="wrap">{output.label ?? output.name}</td>
                <td className="muted">{show(from)}</td>
                <td>
                  <Value value={to} unit={output.unit} />
                </td>
                <td className="muted">{change(from, to)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </Panel>
  )
}
