import { useMemo, useState } from 'react'
import { Form } from 'react-bootstrap'
import { useFit, usePredictions, useSurface } from '../api/explore'
import { inputsOf, marksOf, type Table } from '../api/table'
import type { Bench, Exploration, Input, Run, Value } from '../api/types'
import { Lines, type Line } from '../parts/Lines'
import { limitsOf } from '../parts/limits'
import { Panel } from '../parts/Panel'
import { Trouble } from '../parts/Trouble'
import { show, titled } from '../words'
import { ContourFigure } from './ContourFigure'
import { FigureMenu } from '../parts/FigureMenu'
import { FitFigure } from './FitFigure'
import { rangeOf } from './ranges'
import { Relief } from '../parts/Relief'
import { q2Words } from './words'

type Props = { bench: Bench; run: Run; table: Table; found: Exploration }

/** A value over two inputs as its surrogate predicts it, with sliders for all inputs, and how well it predicts. */
export function Surfaces({ bench, run, table, found }: Props) {
  const values = found.values.filter((v) => v.sensitivity.q2 !== undefined)
  const turned = bench.inputs.filter((i) => found.inputs.includes(i.name) && (i.range || i.choices)) // what only scatters has no range to be turned in
  const axes = turned.filter((i) => !i.choices?.words)
  const [of, setOf] = useState(values[0]?.name)
  const value = values.find((v) => v.name === of) ?? values[0]
  const ranking = value?.sensitivity.ranking.filter((name) => axes.some((a) => a.name === name)) ?? []
  const [chosen, setChosen] = useState<{ x?: string; y?: string }>({})
  const x = chosen.x ?? ranking[0]
  const y = chosen.y ?? ranking.find((name) => name !== x)
  const [at, setAt] = useState<Record<string, Value>>(() => Object.fromEntries(turned.map((i) => [i.name, i.nominal])))
  if (!value || !x || !y || x === y) {
    return (
      <Panel title="No surface yet" style={{ gridColumn: '2 / 4' }}>
        <p className="empty mb-0">A surface needs a value that is predicted, and two inputs that are numbers: sample more, or vary more inputs.</p>
      </Panel>
    )
  }
  return (
    <>
      <Panel title={`${value.name}, predicted`} aside={`${q2Words(value.sensitivity.q2!)}; the ring is the design of the sliders`} style={{ gridColumn: '2 / 4' }}>
        <div className="d-flex gap-2 mb-2">
          <Choice label="value" names={values.map((v) => v.name)} value={value.name} onChange={setOf} />
          <Choice label="to the right" names={axes.map((a) => a.name).filter((name) => name !== y)} value={x} onChange={(name) => setChosen({ x: name, y })} />
          <Choice label="upwards" names={axes.map((a) => a.name).filter((name) => name !== x)} value={y} onChange={(name) => setChosen({ x, y: name })} />
        </div>
        <SurfaceFigures bench={bench} run={run} table={table} of={value.name} x={x} y={y} at={at} />
        <FigureMenu run={run.run} query={{ kind: 'surface', of: value.name, x, y }} />
      </Panel>
      <Panel title="The design of the sliders" aside="predicted, not computed">
        <Sliders inputs={turned} at={at} onChange={(name, to) => setAt({ ...at, [name]: to })} />
        <Predicted bench={bench} run={run} names={values.map((v) => v.name)} at={at} />
      </Panel>
      <Validation run={run} of={value.name} />
      <PredictedCurves bench={bench} run={run} at={at} />
    </>
  )
}

function Choice({ label, names, value, onChange }: { label: string; names: string[]; value: string; onChange: (name: string) => void }) {
  return (
    <Form.Select size="sm" style={{ width: 'auto' }} aria-label={label} title={label} value={value} onChange={(e) => onChange(e.target.value)}>
      {names.map((name) => (
        <option key={name}>{name}</option>
      ))}
    </Form.Select>
  )
}

type FiguresProps = { bench: Bench; run: Run; table: Table; of: string; x: string; y: string; at: Record<string, Value> }

function SurfaceFigures({ bench, run, table, of, x, y, at }: FiguresProps) {
  const surface = useSurface(run, { of, x, y, at })
  const grid = useMemo(() => surface.data && { x: surface.data.x, y: surface.data.y, z: surface.data.mean }, [surface.data])
  const limits = useMemo(() => bench.requirements.filter((q) => q.of === of).flatMap((q) => q.limits.map((limit) => ({ at: limit, words: q.id }))), [bench, of])
  const columns = inputsOf(table)
  const [across, up, value] = [columns.find((c) => c.name === x), columns.find((c) => c.name === y), table.columns.find((c) => c.name === of)]
  const points = useMemo(() => {
    if (!across || !up || !value) return []
    const marks = marksOf(table)
    const step = Math.max(1, Math.ceil(table.rows / 600))
    return Array.from({ length: table.rows }, (_, row) => row)
      .filter((row) => marks[row]! <= 1 && row % step === 0)
      .map((row) => ({ x: across.numbers[row]!, y: up.numbers[row]!, z: value.numbers[row]!, feasible: marks[row] === 0 }))
  }, [table, across, up, value])
  const names = useMemo(() => ({ x: titled(x, across?.unit), y: titled(y, up?.unit), z: titled(of, value?.unit) }), [x, y, of, across, up, value])
  if (surface.error) return <Trouble error={surface.error} />
  if (!grid || !across || !up) return <p className="muted">The surface is fitted …</p>
  return (
    <div style={{ display: 'grid', gridTemplateColumns: 'minmax(0, 1.15fr) minmax(0, 1fr)', gap: 10 }}>
      <ContourFigure run={run.run} table={table} x={across} y={up} grid={grid} limits={limits} here={{ x: Number(at[x]), y: Number(at[y]) }} label={`${of} over ${x} and ${y}`} />
      <Relief grid={grid} points={points} names={names} label={`${of} over ${x} and ${y}`} />
    </div>
  )
}

function Sliders({ inputs, at, onChange }: { inputs: Input[]; at: Record<string, Value>; onChange: (name: string, to: Value) => void }) {
  return (
    <div className="sliders">
      {inputs.map((input) => (
        <Slider key={input.name} input={input} value={at[input.name] ?? input.nominal} onChange={(to) => onChange(input.name, to)} />
      ))}
    </div>
  )
}

const steps = 200

/** The values that a slider can take: those of a list, the steps of a range, or many along it. */
export function stops(input: Input): Value[] {
  if (input.choices) return input.choices.words ?? input.choices.numbers ?? []
  const { lower, upper } = input.range!
  const n = input.step ? Math.round((upper - lower) / input.step) : steps
  return Array.from({ length: n + 1 }, (_, k) => {
    const share = k / n
    if (k === 0 || k === n) return k === 0 ? lower : upper
    return Number((input.log ? lower * (upper / lower) ** share : lower + share * (upper - lower)).toPrecision(6))
  })
}

function Slider({ input, value, onChange }: { input: Input; value: Value; onChange: (to: Value) => void }) {
  const all = useMemo(() => stops(input), [input])
  const place = typeof value === 'number' ? nearest(all, value) : all.indexOf(value)
  return (
    <>
      <label htmlFor={`slide-${input.name}`}>{input.name}</label>
      <input id={`slide-${input.name}`} type="range" min={0} max={all.length - 1} value={Math.max(0, place)} onChange={(e) => onChange(all[Number(e.target.value)]!)} aria-valuetext={`${value} ${input.unit ?? ''}`} />
      <span>
        {show(value)} <span className="unit">{input.unit}</span>
      </span>
    </>
  )
}

function nearest(all: Value[], value: number): number {
  let best = 0
  for (const [k, v] of all.entries()) if (Math.abs(Number(v) - value) < Math.abs(Number(all[best]) - value)) best = k
  return best
}

/** What the surrogates predict for the design of the sliders. */
function Predicted({ bench, run, names, at }: { bench: Bench; run: Run; names: string[]; at: Record<string, Value> }) {
  const predictions = usePredictions(run, { designs: [at], of: names })
  if (predictions.error) return <Trouble error={predictions.error} />
  return (
    <table className="plain mt-3">
      <thead>
        <tr>
          <th>value</th>
          <th>predicted</th>
          <th>give or take</th>
          <th className="left">limit</th>
        </tr>
      </thead>
      <tbody>
        {names.map((name) => {
          const p = predictions.data?.values[name]?.[0]
          return (
            <tr key={name}>
              <td>{name}</td>
              <td>
                {show(p?.mean)} <span className="unit">{bench.outputs.find((o) => o.name === name)?.unit}</span>
              </td>
              <td className="muted">{show(p && Number((2 * p.deviation).toPrecision(2)))}</td>
              <td className="left muted">{bench.requirements.filter((q) => q.of === name).map((q) => `${q.id}: ${q.limit}`).join('; ')}</td>
            </tr>
          )
        })}
      </tbody>
    </table>
  )
}

function Validation({ run, of }: { run: Run; of: string }) {
  const fit = useFit(run, of)
  return (
    <Panel title="Predicted against computed" aside={fit.data && `${fit.data.method}: ${q2Words(fit.data.q2)}`}>
      {fit.error && <Trouble error={fit.error} />}
      {fit.data && (
        <>
          <FitFigure run={run.run} fit={fit.data} />
          <p className="muted mb-0">
            Others: {fit.data.competitors.slice(1).map((c) => `${c.method} ${q2Words(c.q2)}`).join('; ')}.{' '}
            {fit.data.inputs.length > 0 && `Fitted over ${fit.data.inputs.join(', ')}.`}
          </p>
          <FigureMenu run={run.run} query={{ kind: 'validation', of }} />
        </>
      )}
    </Panel>
  )
}

/** Curves as they follow the sliders. */
function PredictedCurves({ bench, run, at }: { bench: Bench; run: Run; at: Record<string, Value> }) {
  const curves = bench.outputs.filter((o) => o.kind === 'curve')
  const [name, setName] = useState(curves[0]?.name)
  if (!name) return null
  return (
    <Panel title="A curve, predicted" style={{ gridColumn: '2 / 4' }}>
      {curves.length > 1 && <Choice label="curve" names={curves.map((c) => c.name)} value={name} onChange={setName} />}
      <PredictedCurve bench={bench} run={run} name={name} at={at} />
    </Panel>
  )
}

function PredictedCurve({ bench, run, name, at }: { bench: Bench; run: Run; name: string; at: Record<string, Value> }) {
  const output = bench.outputs.find((o) => o.name === name)!
  const predictions = usePredictions(run, { designs: [at], curves: [name] })
  const curve = predictions.data?.curves[name]?.[0]
  const lines = useMemo<Line[]>(() => (curve ? [{ name: 'predicted', x: curve.x, y: curve.y, colour: 'plum', width: 2 }] : []), [curve])
  const limits = useMemo(() => limitsOf(output, bench.requirements), [output, bench])
  if (predictions.error) return <Trouble error={predictions.error} />
  if (!curve) return <p className="muted">The curve is fitted …</p>
  const column = (numbers: number[]) => rangeOf({ name, kind: 'value', numbers: Float64Array.from(numbers) })
  return (
    <>
      <Lines
        lines={lines} limits={limits} height={230} label={`${name}, predicted`} units={{ x: output.x_unit, y: output.unit }}
        axes={{ x: { title: titled(output.x ?? 'x', output.x_unit), range: [curve.x[0]!, curve.x.at(-1)!] }, y: { title: titled(name, output.unit), range: column([...curve.y, ...limits.map((l) => l.at)]) } }}
      />
      <p className="muted mb-0">
        {q2Words(curve.q2)}; off by {show(Number(curve.deviation.toPrecision(2)))} {output.unit} on average. Predicted, not computed.
      </p>
    </>
  )
}
