import { useState } from 'react'
import { Button, Form } from 'react-bootstrap'
import { Link, NavLink, useNavigate, useParams } from 'react-router'
import { useExploration, useExtend } from '../api/explore'
import { useResult, useRun, useTable } from '../api/queries'
import type { Bench, Run } from '../api/types'
import { AllCurves } from '../explore/AllCurves'
import { Designs } from '../explore/Designs'
import { Facts } from '../explore/Facts'
import { Matters } from '../explore/Matters'
import { lock, useLocked } from '../explore/ranges'
import { RoundsTable, StudyFindings } from '../explore/StudyFindings'
import { SelectionBar } from '../explore/SelectionBar'
import { Surfaces } from '../explore/Surfaces'
import { Panel } from '../parts/Panel'
import { StartStudy } from '../parts/StartStudy'
import { Trouble } from '../parts/Trouble'
import { Asked } from '../parts/Asked'
import { atWork, runName } from '../words'
import { foreign, isStudy, useOwnBench, usePlace } from './place'

const views = { matters: 'What matters', designs: 'Designs', surfaces: 'Surfaces', curves: 'Curves' } as const
type View = keyof typeof views

/** Explore: look at a sample, find what matters, and see the surfaces. */
export function Explore() {
  const { bench, runs } = usePlace()
  const navigate = useNavigate()
  const { run: named, view } = useParams()
  const [starting, setStarting] = useState<{ held?: Record<string, string> }>()
  const studies = runs.filter(isStudy)
  const chosen = named ? Number(named) : (studies.find((r) => r.question.kind !== 'optimize' && r.usable > 0) ?? studies.find((r) => r.usable > 0) ?? studies[0])?.run
  const run = useRun(chosen)
  const path = `/bench/${encodeURIComponent(bench.name)}/explore`
  const first = bench.studies.find((s) => s.kind === 'sample' && !s.later) ?? bench.studies.find((s) => s.kind === 'sensitivity' && !s.later)
  return (
    <main style={{ gridTemplateColumns: '230px minmax(0, 1fr) minmax(0, 1fr)', gridTemplateRows: 'auto auto auto 1fr' }}>
      <Panel title="Samples and studies" style={{ gridRow: '1 / 9' }}>
        <Runs path={path} runs={studies} chosen={chosen} />
        <Button className="mt-3" onClick={() => setStarting({})} disabled={!bench.studies.some((s) => !s.later)}>
          Start a study
        </Button>
        {!first && (
          <p className="note calm">
            This bench has no study that samples yet. Add one under <code>studies:</code>, for example <code>{'look: {kind: sample, points: 40}'}</code>.
          </p>
        )}
      </Panel>
      {run.error && <Trouble error={run.error} />}
      {run.data && foreign(run.data, bench, 'study') ? (
        <Trouble error={new Error(foreign(run.data, bench, 'study'))} />
      ) : run.data ? (
        <RunView key={run.data.run} path={path} bench={bench} run={run.data} view={view && view in views ? (view as View) : 'matters'} onHold={(held) => setStarting({ held })} />
      ) : (
        chosen === undefined && (
          <Panel first title="Nothing to explore yet" style={{ gridColumn: '2 / 4' }}>
            <p className="empty mb-0">
              A sample spreads designs over the space: it shows how many are feasible, which inputs matter, and what a stand-in for the solver can predict. Start one, and look at it here.
            </p>
          </Panel>
        )
      )}
      {starting && (
        <StartStudy
          bench={bench} study={starting.held ? undefined : first?.name} held={starting.held} onClose={() => setStarting(undefined)}
          onStarted={(started) => {
            setStarting(undefined)
            void navigate(started.question.kind === 'optimize' ? `/bench/${encodeURIComponent(bench.name)}/improve/${started.run}` : `${path}/${started.run}`)
          }}
        />
      )}
    </main>
  )
}

function Runs({ path, runs, chosen }: { path: string; runs: Run[]; chosen?: number }) {
  if (runs.length === 0) return <p className="empty mb-0">None yet.</p>
  return (
    <table className="plain" style={{ fontSize: 13 }}>
      <tbody>
        {runs.map((run) => (
          <tr key={run.run} className={run.run === chosen ? 'chosen' : undefined}>
            <td className="wrap">
              <Link to={`${path}/${run.run}`} aria-current={run.run === chosen ? 'page' : undefined}>
                run {run.run}
              </Link>{' '}
              {runName(run)}
              <br />
              <span className="muted">{atWork(run) ? run.state : `${run.feasible.toLocaleString('en')} of ${run.usable.toLocaleString('en')} feasible`}</span>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

type ViewProps = { path: string; bench: Bench; run: Run; view: View; onHold: (held: Record<string, string>) => void }

function RunView({ path, bench: newest, run, view, onHold }: ViewProps) {
  const bench = useOwnBench(newest, run)
  const table = useTable(run)
  const result = useResult(run)
  const found = useExploration(run, view === 'matters' || view === 'surfaces')
  const locked = useLocked(bench.name)
  const wide = { gridColumn: '2 / 4' }
  return (
    <>
      <Panel style={wide}>
        <div className="d-flex align-items-center gap-4">
          <h1 className="flex-fill">
            {run.question.study}{' '}
            <span className="unit">
              run {run.run}, seed {run.question.seed}, revision {run.revision}: {run.evaluations.toLocaleString('en')} evaluations, {run.failed} failed
            </span>
          </h1>
          {run.question.kind === 'sample' && !atWork(run) && <MorePoints run={run} />}
        </div>
        <Asked run={run} />
        <p className="muted mb-2 mt-1">{atWork(run) ? [run.note, run.trying].filter(Boolean).join('; ') || 'at work' : `${run.state}: ${run.reason}`}</p>
        <nav className="tabs" aria-label="Views">
          {Object.entries(views).map(([name, words]) => (
            <NavLink key={name} to={`${path}/${run.run}/${name}`} className={name === view ? 'active' : ''} aria-current={name === view ? 'page' : undefined}>
              {words}
            </NavLink>
          ))}
        </nav>
        {table.data && view !== 'surfaces' && view !== 'matters' && (
          <div className="d-flex flex-wrap gap-3 align-items-center mt-2">
            <SelectionBar run={run.run} table={table.data} best={result.data?.best?.evaluation} />
            <Form.Check type="switch" id="lock-axes" label="Lock axes for all runs" checked={locked !== undefined} onChange={(e) => lock(bench.name, e.target.checked ? table.data : undefined)} />
          </div>
        )}
      </Panel>
      {[table.error, result.error, found.error].map((error) => error && <Trouble key={error.message} error={error} />)}
      {run.usable > 0 && found.isLoading && (
        <Panel style={wide}>
          <p className="muted mb-0">Response surfaces are fitted to {run.usable.toLocaleString('en')} evaluations …</p>
        </Panel>
      )}
      {view === 'matters' && (
        <>
          <Facts run={run} remarks={found.data?.remarks ?? []} />
          {result.data?.rounds && result.data.rounds.rounds.length > 1 && <RoundsTable rounds={result.data.rounds.rounds} />}
          {result.data?.sensitivity && <StudyFindings run={run} bench={bench} all={result.data.sensitivity} />}
          {found.data && <Matters bench={bench} run={run} found={found.data} onHold={onHold} />}
        </>
      )}
      {view === 'designs' && table.data && <Designs bench={bench} run={run} table={table.data} best={result.data?.best?.evaluation} />}
      {view === 'surfaces' && table.data && found.data && <Surfaces bench={bench} run={run} table={table.data} found={found.data} />}
      {view === 'curves' && <AllCurves bench={bench} run={run} />}
    </>
  )
}

/** Asks for more points of a sample. */
function MorePoints({ run }: { run: Run }) {
  const [text, setText] = useState('')
  const extend = useExtend(run.run)
  const points = Number(text)
  const wrong = text !== '' && !(Number.isInteger(points) && points > 0)
  return (
    <Form
      className="d-flex gap-2 align-items-center"
      onSubmit={(event) => {
        event.preventDefault()
        if (text !== '' && !wrong && !extend.isPending) extend.mutate(points, { onSuccess: () => setText('') })
      }}
    >
      <Form.Control size="sm" style={{ width: 90 }} inputMode="numeric" aria-label="more points" placeholder="60" isInvalid={wrong} value={text} onChange={(e) => setText(e.target.value)} />
      <Button size="sm" variant="outline" type="submit" disabled={text === '' || wrong || extend.isPending}>
        Add points
      </Button>
      {extend.error && <Trouble error={extend.error} />}
    </Form>
  )
}
