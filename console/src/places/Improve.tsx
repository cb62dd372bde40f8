import { useMemo, useState } from 'react'
import { Button } from 'react-bootstrap'
import { Link, useNavigate, useParams } from 'react-router'
import { useControlRun, useEvaluation, useResult, useRun, useTable } from '../api/queries'
import { inputsOf, valuesOf, type Column, type Table } from '../api/table'
import type { Bench, EvaluationDetail, Headline, Result, Run, Study } from '../api/types'
import { Asked } from '../parts/Asked'
import { ConvergenceFigure } from '../parts/ConvergenceFigure'
import { CurveFigure } from '../parts/CurveFigure'
import { EvaluationsTable } from '../parts/EvaluationsTable'
import { InputStrips } from '../parts/InputStrips'
import { Failures } from '../parts/Failures'
import { KeptFiles } from '../parts/KeptFiles'
import { InputsTable } from '../parts/InputsTable'
import { Panel } from '../parts/Panel'
import { RequirementsTable } from '../parts/RequirementsTable'
import { paceOf } from '../parts/holding'
import { StartStudy } from '../parts/StartStudy'
import { Trouble } from '../parts/Trouble'
import { ValueFigure } from '../parts/ValueFigure'
import { Adopt } from '../improve/Adopt'
import { Answer, Checks, Reached, Spread } from '../improve/Answer'
import { Calibration } from '../improve/Calibration'
import { Cells } from '../improve/Cells'
import { Front } from '../improve/Front'
import { tableOfFront } from '../improve/front'
import { RobustPanel, TrailFigure } from '../improve/Robust'
import { keyOf } from '../decide/compared'
import { keptWithReserve, pricePaid, worstViolation } from '../improve/violation'
import { useSelection } from '../api/selection'
import { RarePanel, WorstPanel } from '../prove/Rare'
import { ScatterPanel } from '../prove/Scatter'
import { atWork, runName, show, span as duration } from '../words'
import { foreign, isStudy, nominalRun, objectiveAt, studyOf, unitOf, useOwnBench, usePlace } from './place'

/** Improve: start a study, and watch its run. */
export function Improve() {
  const { bench, runs } = usePlace()
  const navigate = useNavigate()
  const [starting, setStarting] = useState<Candidate | boolean>(false)
  const studies = runs.filter(isStudy)
  const named = useParams().run
  const chosen = named ? Number(named) : (studies.find((r) => r.headline) ?? studies[0])?.run
  const run = useRun(chosen)
  const open = (id: number) => void navigate(`/bench/${encodeURIComponent(bench.name)}/improve/${id}`)
  return (
    <main style={{ gridTemplateColumns: '230px minmax(0, 1fr) 380px', gridTemplateRows: 'auto auto auto 1fr' }}>
      <Panel title="Studies" style={{ gridRow: '1 / 5' }}>
        {bench.studies.map((s) => (
          <span className="study" key={s.name}>
            <b>{s.name}</b>
            <span className="muted text-break">{s.later ?? s.says}</span>
          </span>
        ))}
        {bench.studies.length === 0 && <p className="empty">The bench has none: add one under studies: in {bench.file}.</p>}
        <Button onClick={() => setStarting(true)} disabled={!bench.studies.some((s) => !s.later)}>
          Start a study
        </Button>
        <h2 className="mt-4">Runs</h2>
        <Runs bench={bench} runs={studies} chosen={chosen} onChoose={open} />
      </Panel>
      {run.error && <Trouble error={run.error} />}
      {run.data && foreign(run.data, bench, 'study') ? (
        <Trouble error={new Error(foreign(run.data, bench, 'study'))} />
      ) : run.data ? (
        <RunView key={run.data.run} bench={bench} run={run.data} nominal={nominalRun(bench, runs)} onStart={setStarting} />
      ) : (
        chosen === undefined && (
          <Panel first title="No run yet" style={{ gridColumn: '2 / 4' }}>
            <p className="empty mb-0">
              A study asks a question of the model: what does the space look like, or which design is best? Start one, and watch it here.
            </p>
          </Panel>
        )
      )}
      {starting && (
        <StartStudy
          bench={bench}
          of={starting === true ? undefined : starting}
          pace={paceOf(studies)}
          onClose={() => setStarting(false)}
          onStarted={(started) => {
            setStarting(false)
            open(started.run)
          }}
        />
      )}
    </main>
  )
}

function Runs({ bench, runs, chosen, onChoose }: { bench: Bench; runs: Run[]; chosen?: number; onChoose: (id: number) => void }) {
  if (runs.length === 0) return <p className="empty mb-0">None yet.</p>
  return (
    <table className="plain" style={{ fontSize: 13 }}>
      <tbody>
        {runs.map((run) => (
          <tr key={run.run} className={`link ${run.run === chosen ? 'chosen' : ''}`} onClick={() => onChoose(run.run)}>
            <td className="wrap">
              <Link to={`/bench/${encodeURIComponent(bench.name)}/improve/${run.run}`} aria-current={run.run === chosen ? 'page' : undefined} onClick={(e) => e.stopPropagation()}>
                run {run.run}
              </Link>{' '}
              {runName(run)}
            </td>
            <td className="muted">{run.state !== 'finished' ? <StateTag run={run} /> : run.headline ? answerOf(run.headline) : `${run.evaluations.toLocaleString('en')} asked`}</td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

/** The best design of a run in short. */
const answerOf = (headline: Headline) => (headline.objective === undefined ? (headline.feasible ? 'feasible' : 'infeasible') : show(headline.objective))

const StateTag = ({ run }: { run: Run }) => (
  <span className={`tag ${atWork(run) || run.state === 'finished' ? '' : 'warn'}`}>{run.state}</span>
)

type Candidate = { run: number; evaluation: number }

/** What can be done with the evaluation that is selected, or with the best one: start another study there, or make it the nominal design. */
function DesignActions({ bench, run, best, onStart }: { bench: Bench; run: Run; best?: number; onStart: (of: Candidate) => void }) {
  const selected = [...useSelection(run.run)]
  const evaluation = selected.length === 1 ? selected[0] : best
  const [adopting, setAdopting] = useState<number>()
  if (evaluation === undefined) return null
  return (
    <span className="d-flex gap-2">
      <Button size="sm" variant="outline" onClick={() => onStart({ run: run.run, evaluation })}>
        Start a study at evaluation {evaluation}
      </Button>
      <Button size="sm" variant="outline" onClick={() => setAdopting(evaluation)}>
        Make it the nominal design
      </Button>
      <Link className="btn btn-sm btn-outline" to={`/bench/${encodeURIComponent(bench.name)}/decide?beside=${keyOf(run.run, evaluation)}`}>
        Put it beside others
      </Link>
      {adopting !== undefined && <Adopt bench={bench} of={{ run: run.run, evaluation: adopting }} onClose={() => setAdopting(undefined)} />}
    </span>
  )
}

/** By how much each evaluation misses the requirement that it misses most. */
function Violation({ run, table, bench }: { run: Run; table: Table; bench: Bench }) {
  const column = useMemo(() => worstViolation(table, bench.requirements), [table, bench.requirements])
  if (!column) return null
  return (
    <Panel title="Worst violation by evaluation" aside="of the limit; 0 is every limit kept" style={{ gridColumn: '2 / 4' }}>
      <ValueFigure run={run.run} table={table} column={column} unit="%" budget={axisOf(run)} />
    </Panel>
  )
}

/** What each evaluation pays for soft requirements, beside its objective. */
function PricePaid({ run, table, bench, study, unit }: { run: Run; table: Table; bench: Bench; study?: Study; unit?: string }) {
  const pays = study?.pays
  const column = useMemo(() => pricePaid(table, bench.requirements.filter((q) => pays?.includes(q.id))), [table, bench.requirements, pays])
  if (!column) return null
  return (
    <Panel title="Price paid for soft requirements by evaluation" aside="beside the objective" style={{ gridColumn: '2 / 4' }}>
      <ValueFigure run={run.run} table={table} column={column} unit={unit} budget={axisOf(run)} />
    </Panel>
  )
}

/** How far the axis of evaluations goes at least: to the budget while evaluations may still come. */
const axisOf = (run: Run) => (run.state === 'finished' ? 0 : run.budget)

type ViewProps = { bench: Bench; run: Run; nominal?: Run; onStart: (of: Candidate) => void }

function RunView({ bench: newest, run, nominal, onStart }: ViewProps) {
  const bench = useOwnBench(newest, run)
  const study = studyOf(bench, run)
  const table = useTable(run)
  const result = useResult(run)
  const before = useEvaluation(nominal && !atWork(nominal) ? nominal.run : undefined, 1)
  const found = result.data
  const nominalObjective = objectiveAt(study, found?.nominal) ?? (study?.objective ? before.data?.named?.[study.objective] : undefined)
  const wide = { gridColumn: '2 / 4' }
  const span = axisOf(run)
  const kept = useMemo(() => (table.data ? keptWithReserve(table.data, bench.requirements) : undefined), [table.data, bench.requirements])
  return (
    <>
      <RunHead bench={bench} run={run} found={found} nominal={nominalObjective} />
      {[table.error, result.error].map((error) => error && <Trouble key={error.message} error={error} />)}
      {found?.robust && found.robust.trail.length > 0 && study?.objective && (
        <Panel title="Objective over scatter by evaluation" aside="teal keeps every requirement over its draws, ochre misses one; the line is the best so far" style={found.best ? undefined : wide}>
          <TrailFigure trail={found.robust.trail} title={study.objective} unit={study.objective_unit} maximize={study.maximize ?? false} />
        </Panel>
      )}
      {table.data && study?.objective && study.kind !== 'sweep' && !found?.robust && table.data.columns.some((c) => c.name === study.objective) && (
        <Panel title="Objective by evaluation" style={found?.best ? undefined : wide}>
          <ConvergenceFigure
            run={run.run} table={table.data} objective={study.objective} maximize={study.maximize ?? false} unit={unitOf(bench, study.objective)}
            nominal={nominalObjective} budget={span} kept={kept}
          />
        </Panel>
      )}
      {found?.best && bench.requirements.length > 0 && (
        <Panel title="Requirements at the best design">
          <RequirementsTable compact requirements={bench.requirements} judged={found.best.requirements} />
          {(found.optimum ? [] : (found.at_ends ?? [])).map((end) => (
            <p key={end.input} className={`note ${end.guess ? '' : 'calm'}`}>
              {end.says}
            </p>
          ))}
        </Panel>
      )}
      {found?.optimum && <Answer optimum={found.optimum} watched={found.watched ?? []} />}
      {found?.robust && <RobustPanel bench={bench} robust={found.robust} />}
      {found?.scatter && found.probabilities && <ScatterPanel bench={bench} scatter={found.scatter} probabilities={found.probabilities} />}
      {found?.rare && <RarePanel bench={bench} rare={found.rare} probabilities={found.probabilities ?? {}} />}
      {found?.worst && <WorstPanel bench={bench} worst={found.worst} />}
      {table.data && found?.tradeoff && found.front && <Front bench={bench} run={run.run} table={found.robust ? tableOfFront(table.data, found.front, found.tradeoff) : table.data} front={found.front} tradeoff={found.tradeoff} settled={!atWork(run) && !found.robust} unitOf={(name) => unitOf(bench, name)} />}
      {found?.checks && found.checks.length > 0 && <Checks checks={found.checks} />}
      {found?.reached && found.reached.length > 0 && <Reached reached={found.reached} />}
      {found?.spread && <Spread spread={found.spread} />}
      {found?.fit && <Calibration fit={found.fit} />}
      {found?.cells && found.cells.length > 0 && <Cells bench={bench} run={run.run} cells={found.cells} objective={study?.objective} unit={unitOf(bench, study?.objective)} />}
      {table.data && <Violation run={run} table={table.data} bench={bench} />}
      {table.data && <PricePaid run={run} table={table.data} bench={bench} study={study} unit={unitOf(bench, study?.objective)} />}
      {table.data && inputsOf(table.data).length > 0 && (
        <Panel title="Inputs by evaluation" aside="lines are the ends of each range" style={found?.best ? undefined : wide}>
          <InputStrips run={run.run} table={table.data} inputs={bench.inputs} budget={span} />
        </Panel>
      )}
      {found?.best && <BestDesign bench={bench} run={run} best={found.best} ends={found.at_ends} nominal={before.data} />}
      {table.data && <Watched bench={bench} run={run} table={table.data} study={study} />}
      {table.data && (
        <Panel title="Evaluations" aside={<DesignActions bench={newest} run={run} best={found?.best?.evaluation} onStart={onStart} />} style={wide}>
          <EvaluationsTable table={table.data} run={run.run} best={found?.best?.evaluation} />
        </Panel>
      )}
    </>
  )
}

type BestProps = { bench: Bench; run: Run; best: NonNullable<Result['best']>; ends: Result['at_ends']; nominal?: EvaluationDetail }

function BestDesign({ bench, run, best, ends, nominal }: BestProps) {
  const evaluation = useEvaluation(run.run, best.evaluation)
  const curves = bench.outputs.filter((o) => o.kind === 'curve')
  return (
    <div className="d-flex flex-column gap-3">
      {evaluation.data &&
        curves.map((curve) => (
          <Panel key={curve.name} title={`${curve.label ?? curve.name} over ${curve.x}`}>
            <CurveFigure output={curve} design={evaluation.data} designName={atWork(run) ? 'best so far' : 'best'} nominal={nominal} requirements={bench.requirements} />
          </Panel>
        ))}
      <Panel title="Inputs at the best design">
        <InputsTable inputs={bench.inputs} design={best.inputs} ends={ends} name="best" />
      </Panel>
    </div>
  )
}

/** The values that the study watches or aims at, beside its objective, with their limits and targets. */
function Watched({ bench, run, table, study }: { bench: Bench; run: Run; table: Table; study?: Study }) {
  const targets = study?.targets ?? []
  const names = [...(study?.watch ?? []), ...targets.map((target) => target.of)]
  return valuesOf(table)
    .filter((column) => names.includes(column.name))
    .map((column) => <WatchedValue key={column.name} bench={bench} run={run} table={table} column={column} target={targets.find((target) => target.of === column.name)?.to} />)
}

type WatchedProps = { bench: Bench; run: Run; table: Table; column: Column; target?: number }

function WatchedValue({ bench, run, table, column, target }: WatchedProps) {
  const limits = useMemo(
    () => [
      ...bench.requirements.filter((q) => q.of === column.name).flatMap((q) => q.limits.map((at) => ({ at, words: `${q.id}: ${q.limit}` }))),
      ...(target === undefined ? [] : [{ at: target, words: `target ${show(target)}` }]),
    ],
    [bench.requirements, column.name, target],
  )
  return (
    <Panel title={`${column.name} by evaluation`} aside={target === undefined ? 'watched' : 'a target'} style={{ gridColumn: '2 / 4' }}>
      <ValueFigure run={run.run} table={table} column={column} unit={unitOf(bench, column.name)} budget={axisOf(run)} limits={limits} />
    </Panel>
  )
}

function RunHead({ bench, run, found, nominal }: { bench: Bench; run: Run; found?: Result; nominal?: number }) {
  const study = studyOf(bench, run)
  const objective = run.headline?.objective
  return (
    <Panel style={{ gridColumn: '2 / 4' }}>
      <div className="d-flex align-items-center gap-4">
        <div className="flex-fill">
          <h1>
            {run.question.study}{' '}
            <span className="unit">
              run {run.run}, seed {run.question.seed}, revision {run.revision}
            </span>
          </h1>
          <Asked run={run} />
          <div className="d-flex align-items-center gap-3 mt-2">
            {run.budget > 0 && (
              <div className="bar">
                <i style={{ width: `${Math.min(100, (100 * run.evaluations) / run.budget)}%` }} />
              </div>
            )}
            <span>
              {run.evaluations.toLocaleString('en')} {run.budget === 0 ? 'evaluations, until its time is used up' : run.evaluations <= run.budget ? `of ${run.budget.toLocaleString('en')}` : 'evaluations'}
            </span>
            <span className="muted">{counts(run)}</span>
          </div>
          <p className="muted mb-0 mt-1">{atWork(run) ? [run.note, run.trying].filter(Boolean).join('; ') : `${run.state}: ${run.reason}`}</p>
        </div>
        {objective !== undefined && (
          <div>
            <div className="muted text-truncate" style={{ maxWidth: 320 }} title={study?.objective}>
              {study?.objective}
            </div>
            <span className="big">{show(objective)}</span>{' '}
            <span className="unit">
              {unitOf(bench, study?.objective)}
              {nominal !== undefined && `, nominal ${show(nominal)}`}
            </span>
          </div>
        )}
        <Controls run={run} />
      </div>
      {run.headline && !run.headline.feasible && (
        <p className="note">No design met every requirement yet; the best one misses {run.headline.misses}.</p>
      )}
      {found?.best?.paid !== undefined && (
        <p className="note">
          Beside the objective {show(found.best.paid)} {unitOf(bench, study?.objective)} are paid for soft requirements that are missed.
        </p>
      )}
      {found?.sample && (
        <p className="note calm">
          {found.sample.feasible} of {found.sample.usable} designs with values meet every requirement.
        </p>
      )}
      {found?.search?.remarks?.map((remark) => (
        <p key={remark} className="note">
          {remark}.
        </p>
      ))}
      {found?.search?.chose && (
        <p className="muted mb-0 mt-1">
          {found.search.method}: {found.search.chose}.
        </p>
      )}
      {found?.search?.coarse && <p className="muted mb-0 mt-1">{found.search.coarse.says}.</p>}
      {found?.failures && <Failures failures={found.failures} />}
      {!atWork(run) && <KeptFiles run={run.run} />}
      {run.unreliable && <div className="note">{run.unreliable}.</div>}
      {run.changes && run.changes.length > 0 && (
        <div className="note">
          The bench has changed since this run, and is at revision {run.newest}: {run.changes.join('; ')}.
        </div>
      )}
    </Panel>
  )
}

function counts(run: Run): string {
  const parts: string[] = []
  const say = (n: number | undefined, what: string) => n && parts.push(`${n.toLocaleString('en')} ${what}`)
  say(run.failed, 'failed')
  say(run.not_tried, 'not tried')
  say(run.coarse, 'coarse ones')
  say(run.reused, 'reused')
  parts.push(`${run.feasible.toLocaleString('en')} feasible`)
  const asked = run.evaluations - run.not_tried - run.reused // of the solver
  const pace = run.elapsed / Math.max(1, asked)
  if (run.state === 'running' && asked > 1 && run.budget > run.evaluations) parts.push(`about ${duration(pace * (run.budget - run.evaluations))} left`)
  return parts.join(', ')
}

function Controls({ run }: { run: Run }) {
  const control = useControlRun(run.run)
  const button = (action: 'stop' | 'pause' | 'resume', words: string) => (
    <Button variant="outline" disabled={control.isPending} onClick={() => control.mutate(action)}>
      {words}
    </Button>
  )
  return (
    <div className="d-flex gap-2">
      {atWork(run) && button('pause', 'Pause')}
      {atWork(run) && button('stop', 'Stop, keep best')}
      {(run.state === 'paused' || run.state === 'stopped' || run.state === 'broken') && button('resume', 'Resume')}
      {control.error && <Trouble error={control.error} />}
    </div>
  )
}
