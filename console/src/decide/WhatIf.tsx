import { useState } from 'react'
import { Button, Form } from 'react-bootstrap'
import { useKeepByHand, useTriedByHand, useTurns, type ByHand } from '../api/byHand'
import { useCandidates } from '../api/candidates'
import { usePredictions } from '../api/explore'
import { useEvaluation, useStartRun } from '../api/queries'
import type { Bench, EvaluationDetail, Run, Turn, Turns, Value } from '../api/types'
import { isStudy, nominalRun, usePlace } from '../places/place'
import { CurveFigure } from '../parts/CurveFigure'
import { Panel } from '../parts/Panel'
import { RequirementsTable } from '../parts/RequirementsTable'
import { Trouble } from '../parts/Trouble'
import { atWork, change, show, summary, titled } from '../words'
import { keyOf, readKey } from './compared'
import { Slider } from './Sliders'

const quick = 1 // second: a solver that takes no longer is asked live
const settles = 1e-12 // relative: what is less is rounding

/** What if: inputs are turned by hand, and outputs, verdicts and curves follow. */
export function WhatIf() {
  const { bench, runs } = usePlace()
  const nominal = nominalRun(bench, runs)
  const before = useEvaluation(nominal?.run, 1)
  const start = useStartRun(bench.name)
  if (!nominal || !before.data) {
    return (
      <main>
        <Panel first title="What if">
          <p className="empty">Inputs are turned by hand here, beside the nominal design: evaluate that first.</p>
          <Button disabled={start.isPending || (nominal && atWork(nominal))} onClick={() => start.mutate({ study: 'try' })}>
            Evaluate the nominal design
          </Button>
          {start.error && <Trouble error={start.error} />}
        </Panel>
      </main>
    )
  }
  return <Turning key={bench.revision} bench={bench} runs={runs} nominal={before.data} />
}

function Turning({ bench, runs, nominal }: { bench: Bench; runs: Run[]; nominal: EvaluationDetail }) {
  const [past, setPast] = useState<ByHand[]>([])
  const [design, setDesign] = useState<ByHand>(() => nominal.inputs)
  const live = nominal.state === 'ok' && nominal.seconds < quick
  const tried = useTriedByHand(bench, design, live)
  const [turned, setTurned] = useState<string>() // the input that was turned last: on its way it is one step to undo
  const go = (next: ByHand, by?: string) => {
    if (by === undefined || by !== turned) setPast([...past, design])
    setTurned(by)
    setDesign(next)
  }
  const turn = (name: string, value: Value) => go({ ...design, [name]: value }, name)
  const undo = () => {
    setDesign(past.at(-1)!)
    setPast(past.slice(0, -1))
    setTurned(undefined)
  }
  const answer = tried.data
  const found: EvaluationDetail | undefined = answer && { ...nominal, inputs: answer.inputs, named: answer.values, requirements: answer.requirements, curves: answer.curves, feasible: answer.feasible }
  const moved = bench.inputs.some((i) => answer?.inputs[i.name] !== nominal.inputs[i.name])
  const explored = runs.find((r) => !atWork(r) && r.usable > 10 && (r.question.kind === 'sample' || r.question.kind === 'sensitivity'))
  return (
    <main style={{ gridTemplateColumns: '360px minmax(0, 1fr)' }}>
      <Panel first title="Turn the inputs" style={{ gridRow: '1 / 4' }}>
        <Start bench={bench} runs={runs} nominal={nominal} onStart={go} />
        {bench.inputs
          .filter((i) => i.varied)
          .map((i) => (
            <Slider key={i.name} input={i} value={design[i.name] ?? i.nominal} nominal={i.nominal} onTurn={(value) => turn(i.name, value)} />
          ))}
        <div className="d-flex gap-2 mt-3">
          <Button size="sm" variant="outline" disabled={past.length === 0} onClick={undo}>
            Undo
          </Button>
        </div>
        <Keep bench={bench} design={design} />
      </Panel>
      <div>
        {live ? (
          <Live bench={bench} nominal={nominal} found={found} reason={answer?.reason} error={tried.error} seconds={answer?.seconds} settled={tried.settled} />
        ) : explored ? (
          <Predicted bench={bench} run={explored} design={design} nominal={nominal} />
        ) : (
          <Panel title="No live answer">
            <p className="empty">
              The solver took {show(nominal.seconds)} s for the nominal design, too long to follow a hand. Sample the space in Explore first: then surrogates answer here, and say how sure they are. Or keep the design with a name, which evaluates it.
            </p>
          </Panel>
        )}
      </div>
      {live && bench.outputs.filter((o) => o.kind === 'curve').map((o) => (
        <Panel key={o.name} title={`${o.label ?? o.name} over ${o.x}`}>
          <CurveFigure output={o} design={answer?.state === 'ok' && moved ? found : undefined} designName="turned" nominal={nominal} requirements={bench.requirements} height={200} />
        </Panel>
      ))}
      {live && found && <WhatHelps bench={bench} design={design} settled={tried.settled && answer?.state === 'ok'} onTurn={turn} />}
    </main>
  )
}

/** Begins with another design: a candidate, the best of a run, or any evaluation. */
function Start({ bench, runs, nominal, onStart }: { bench: Bench; runs: Run[]; nominal: EvaluationDetail; onStart: (design: ByHand) => void }) {
  const candidates = useCandidates(bench.name)
  const [chosen, setChosen] = useState('')
  const of = readKey(chosen)
  const evaluation = useEvaluation(of?.run, of?.evaluation)
  const best = runs.filter((r) => isStudy(r) && r.headline && !atWork(r)).slice(0, 5)
  const ready = chosen === '' ? nominal : evaluation.data && of && evaluation.data.evaluation === of.evaluation ? evaluation.data : undefined
  return (
    <div className="d-flex gap-2 mb-3">
      <Form.Select size="sm" aria-label="Design to begin with" value={chosen} onChange={(e) => setChosen(e.target.value)}>
        <option value="">nominal</option>
        {candidates.data?.map((c) => (
          <option key={c.name} value={keyOf(c.run, c.evaluation)}>
            {c.name}
          </option>
        ))}
        {best.map((r) => (
          <option key={r.run} value={keyOf(r.run, r.headline!.evaluation)}>
            best of run {r.run}, {r.question.study}
          </option>
        ))}
      </Form.Select>
      <Button size="sm" variant="outline" disabled={!ready} onClick={() => ready && onStart(ready.inputs)}>
        Begin here
      </Button>
    </div>
  )
}

/** Names the design, which evaluates it in a run of its own. */
function Keep({ bench, design }: { bench: Bench; design: ByHand }) {
  const keep = useKeepByHand(bench.name)
  const [name, setName] = useState('')
  const [because, setBecause] = useState('')
  return (
    <Form
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault()
        if (name.trim()) keep.mutate({ design, name: name.trim(), because }, { onSuccess: () => [setName, setBecause].forEach((set) => set('')) })
      }}
    >
      <Form.Control size="sm" className="mb-2" aria-label="name" placeholder="name, such as light" value={name} onChange={(e) => setName(e.target.value)} />
      <div className="d-flex gap-2">
        <Form.Control size="sm" aria-label="because" placeholder="why this one" value={because} onChange={(e) => setBecause(e.target.value)} />
        <Button type="submit" size="sm" disabled={!name.trim() || keep.isPending}>
          Keep
        </Button>
      </div>
      {keep.data && <p className="note calm">{keep.data.name} is kept as evaluation 1 of run {keep.data.run}.</p>}
      {keep.error && <Trouble error={keep.error} />}
    </Form>
  )
}

type LiveProps = { bench: Bench; nominal: EvaluationDetail; found?: EvaluationDetail; reason?: string; error: Error | null; seconds?: number; settled: boolean }

/** What the solver itself gives. */
function Live({ bench, nominal, found, reason, error, seconds, settled }: LiveProps) {
  return (
    <Panel title="By the solver" aside={seconds === undefined ? '' : settled ? 'live' : 'live …'}>
      {error && <Trouble error={error} />}
      {reason && <p className="note">The solver fails here: {reason}</p>}
      {found && !reason && (
        <>
          <p>
            <b>{summary(bench.requirements, found.requirements)}</b>
          </p>
          <RequirementsTable requirements={bench.requirements} judged={found.requirements} nominal={nominal.requirements} name="turned" leastMarginFirst />
          <Values bench={bench} nominal={nominal} found={found} />
        </>
      )}
    </Panel>
  )
}

function Values({ bench, nominal, found }: { bench: Bench; nominal: EvaluationDetail; found: EvaluationDetail }) {
  const required = new Set(bench.requirements.map((q) => q.of))
  return (
    <table className="plain mt-2">
      <tbody>
        {bench.outputs
          .filter((o) => found.named?.[o.name] !== undefined && !required.has(o.name))
          .map((o) => (
            <tr key={o.name}>
              <td title={o.label}>{titled(o.name, o.unit)}</td>
              <td className="muted">{show(nominal.named?.[o.name])}</td>
              <td>{show(found.named?.[o.name])}</td>
              <td className="left muted">{change(nominal.named?.[o.name] ?? NaN, found.named![o.name]!)}</td>
            </tr>
          ))}
      </tbody>
    </table>
  )
}

/** Which input brings a requirement back, and what else it would spoil. */
function WhatHelps({ bench, design, settled, onTurn }: { bench: Bench; design: ByHand; settled: boolean; onTurn: (name: string, value: Value) => void }) {
  const [requirement, setRequirement] = useState('')
  const turns = useTurns(bench, design, requirement, settled)
  const found = turns.data
  return (
    <Panel title="What helps" aside="a hundredth of a range, or one step">
      <div className="d-flex gap-2 align-items-center mb-2">
        <Form.Select size="sm" aria-label="Requirement to help" style={{ width: 'auto' }} value={requirement} onChange={(e) => setRequirement(e.target.value)}>
          <option value="">the least margin{found ? `: ${found.requirement}` : ''}</option>
          {bench.requirements.map((q) => (
            <option key={q.id}>{q.id}</option>
          ))}
        </Form.Select>
      </div>
      {turns.error && <Trouble error={turns.error} />}
      {found && <TurnsTable bench={bench} found={found} design={design} onTurn={onTurn} />}
    </Panel>
  )
}

function TurnsTable({ bench, found, design, onTurn }: { bench: Bench; found: Turns; design: ByHand; onTurn: (name: string, value: Value) => void }) {
  const helps = (t: Turn) => Math.abs(t.margins[found.requirement] ?? 0) > 0
  const target = (t: Turn) => {
    const step = t.margins[found.requirement]! > 0 ? t.by : -t.by
    const { lower, upper } = bench.inputs.find((i) => i.name === t.input)!.range!
    return Number(Math.min(upper, Math.max(lower, Number(design[t.input]) + step)).toPrecision(12))
  }
  const stuck = (t: Turn) => Math.abs(target(t) - Number(design[t.input])) <= settles * Math.abs(target(t))
  return (
    <ul className="list-unstyled mb-0">
      {found.turns.map((t) => (
        <li key={t.input} className={`mb-1 wrap ${helps(t) ? '' : 'muted'}`}>
          {t.says}{' '}
          {helps(t) && !stuck(t) && (
            <button type="button" className="plain-link" aria-label={`turn ${t.input}`} onClick={() => onTurn(t.input, target(t))}>
              turn
            </button>
          )}
          {helps(t) && stuck(t) && <span className="muted">(at the end of its range)</span>}
        </li>
      ))}
    </ul>
  )
}

/** What surrogates of a run believe, with how sure they are: the solver is too slow to follow a hand. */
function Predicted({ bench, run, design, nominal }: { bench: Bench; run: Run; design: ByHand; nominal: EvaluationDetail }) {
  const predictions = usePredictions(run, { designs: [design] })
  const start = useStartRun(bench.name)
  const values = predictions.data?.values ?? {}
  const limit = new Map(bench.requirements.map((q) => [q.of, q]))
  return (
    <Panel title="Predicted, not computed" aside={`by surrogates of run ${run.run}`}>
      <p className="note">The solver takes {show(nominal.seconds)} s, too long to follow a hand: this is what surrogates believe, and how far they may be off (two deviations). Compute it before you trust it.</p>
      {predictions.error && <Trouble error={predictions.error} />}
      <table className="plain">
        <tbody>
          {bench.outputs
            .filter((o) => values[o.name])
            .map((o) => {
              const { mean, deviation } = values[o.name]![0]!
              const q = limit.get(o.name)
              return (
                <tr key={o.name}>
                  <td title={o.label}>{titled(o.name, o.unit)}</td>
                  <td className="muted">{show(nominal.named?.[o.name])}</td>
                  <td>{show(mean)}</td>
                  <td className="left muted">± {show(2 * deviation)}</td>
                  <td className="left">{q && `${q.id} ${q.limit}`}</td>
                </tr>
              )
            })}
        </tbody>
      </table>
      <Button size="sm" className="mt-2" disabled={start.isPending} onClick={() => start.mutate({ study: 'try', design })}>
        Compute with the solver
      </Button>
      {start.data && <p className="note calm">Run {start.data.run} evaluates it: see it in Decide, side by side, as {keyOf(start.data.run, 1)}.</p>}
      {start.error && <Trouble error={start.error} />}
    </Panel>
  )
}
