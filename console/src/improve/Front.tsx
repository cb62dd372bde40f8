import { useCallback, useMemo, useState } from 'react'
import { Form } from 'react-bootstrap'
import { useFront } from '../api/explore'
import { useRuns } from '../api/queries'
import { select } from '../api/selection'
import { columnOf, inputsOf, keepRows, valuesOf, type Table } from '../api/table'
import type { Bench, Design } from '../api/types'
import { Parallel } from '../explore/Parallel'
import { rangeOf } from '../explore/ranges'
import type { Painter } from '../parts/Chart'
import { scope } from '../parts/ConvergenceFigure'
import { drawLine, drawRing } from '../parts/marks'
import { MarkedTable } from '../parts/MarkedTable'
import { Panel } from '../parts/Panel'
import { Points } from '../parts/Points'
import { Relief } from '../parts/Relief'
import { Trouble } from '../parts/Trouble'
import { sentence, show, titled } from '../words'
import { accepted, ranked, rangesOf, type Tradeoff } from './front'
import { Weighing, type Wishes } from './Weighing'

type Props = { bench: Bench; run: number; table: Table; front: Design[]; tradeoff: Tradeoff; settled: boolean; unitOf: (name: string) => string | undefined }

/** The designs of which none is better in every objective, before all others; thinned out and ranked by what somebody wishes. */
export function Front({ bench, run, table, front, tradeoff, settled, unitOf }: Props) {
  const { objectives } = tradeoff
  const [axes, setAxes] = useState<[number, number]>([0, 1])
  const [wishes, setWishes] = useState<Wishes>()
  const [beside, setBeside] = useState<number>()
  const [x, y] = [objectives[axes[0]]!, objectives[axes[1]]!]
  const ranges = useMemo(() => rangesOf(front, objectives), [front, objectives])
  const wished = wishes ?? { limits: objectives.map(() => undefined), weights: objectives.map(() => 1) }
  const left = accepted(front, tradeoff, wished.limits)
  const inOrder = wishes ? ranked(left, tradeoff, ranges, wished.weights) : left
  const moving = bench.inputs.filter((input) => new Set(front.map((d) => d.inputs[input.name])).size > 1).map((input) => input.name)
  const first = wishes && inOrder[0]
  return (
    <Panel title="Trade-off" aside={`${tradeoff.count} ${tradeoff.count === 1 ? 'design' : 'designs'} on the front`} style={{ gridColumn: '2 / 4' }}>
      <p className="mb-2">
        {sentence(tradeoff.says)} {settled && <Growth run={run} tradeoff={tradeoff} />}
      </p>
      <div className="d-flex gap-2 mb-2">
        {objectives.length > 2 && (
          <>
            <Choice label="to the right" names={objectives} value={axes[0]} onChange={(k) => setAxes([k, axes[1]])} />
            <Choice label="upwards" names={objectives} value={axes[1]} onChange={(k) => setAxes([axes[0], k])} />
          </>
        )}
        <Beside bench={bench.name} run={run} chosen={beside} onChange={setBeside} />
      </div>
      <FrontFigure
        run={run} table={table} front={left} x={x} y={y} titles={[titled(x, unitOf(x)), titled(y, unitOf(y))]} picked={first?.evaluation ?? tradeoff.compromise}
        lined={objectives.length === 2} beside={beside} tradeoff={tradeoff}
      />
      {objectives.length > 2 && left.length > 1 && <InSpace front={left} objectives={objectives} titles={objectives.map((name) => titled(name, unitOf(name)))} />}
      {front.length > 1 && (
        <>
          <Weighing tradeoff={tradeoff} ranges={ranges} wishes={wished} onChange={setWishes} unitOf={unitOf} />
          <p className="muted mt-1 mb-0">
            {wishes ? (
              <>
                {left.length} of {front.length} designs are left, the nearest to the best of each value first: by the distance in shares of the ranges along the front, times the weights.{' '}
                <button className="plain-link" onClick={() => setWishes(undefined)}>
                  Take all again
                </button>
              </>
            ) : (
              'Move a limit to thin the front out, or a weight to rank it.'
            )}
          </p>
        </>
      )}
      <div className="scroll mt-2" style={{ maxHeight: 320 }}>
        <MarkedTable
          heads={['evaluation', ...[...objectives, ...moving].map((name) => titled(name, unitOf(name)))]} words="what it is"
          rows={inOrder.map((d) => ({
            key: d.evaluation, kind: d.feasible ? 'feasible' : 'infeasible', why: whatItIs(d, tradeoff, first), cells: [show(d.evaluation), ...objectives.map((name) => show(d.values[name])), ...moving.map((name) => show(d.inputs[name]))],
            onClick: () => select(run, [d.evaluation]),
          }))}
        />
      </div>
      {front.length > 2 && <Lines run={run} table={table} front={left} moving={moving} objectives={objectives} />}
    </Panel>
  )
}

/** After how many evaluations most of the front was found. */
function Growth({ run, tradeoff }: { run: number; tradeoff: Tradeoff }) {
  const again = useFront(run, tradeoff)
  const found = [0.9, 0.99].flatMap((share) => again.data?.growth.find((g) => g.share >= share)?.evaluation ?? [])
  if (found.length < 2) return null
  return (
    <span className="muted">
      Of its hypervolume 90 % was there after evaluation {found[0]}, 99 % after {found[1]}.
    </span>
  )
}

function whatItIs(d: Design, { compromise, knee }: Tradeoff, first: Design | undefined): string {
  if (d === first) return 'the nearest by your weights'
  if (d.evaluation !== compromise) return ''
  return knee ? 'the knee' : 'nearest to the best of each'
}

function Choice({ label, names, value, onChange }: { label: string; names: string[]; value: number; onChange: (k: number) => void }) {
  return (
    <Form.Select size="sm" style={{ width: 'auto' }} aria-label={label} title={label} value={value} onChange={(e) => onChange(Number(e.target.value))}>
      {names.map((name, i) => (
        <option key={name} value={i}>
          {name}
        </option>
      ))}
    </Form.Select>
  )
}

/** Which other run's front is drawn in the same figure. */
function Beside({ bench, run, chosen, onChange }: { bench: string; run: number; chosen?: number; onChange: (run: number | undefined) => void }) {
  const runs = useRuns(bench)
  const others = (runs.data ?? []).filter((r) => r.run !== run && r.usable > 1)
  if (others.length === 0) return null
  return (
    <Form.Select size="sm" style={{ width: 'auto' }} aria-label="another run's front beside it" value={chosen ?? ''} onChange={(e) => onChange(e.target.value === '' ? undefined : Number(e.target.value))}>
      <option value="">no other run beside it</option>
      {others.map((r) => (
        <option key={r.run} value={r.run}>
          run {r.run}, {r.question.study}, seed {r.question.seed}
        </option>
      ))}
    </Form.Select>
  )
}

/** The designs of the front as lines through all that differs among them; drawing along an axis selects. */
function Lines({ run, table, front, moving, objectives }: { run: number; table: Table; front: Design[]; moving: string[]; objectives: string[] }) {
  const few = useMemo(() => {
    const members = new Set(front.map((d) => d.evaluation))
    const evaluations = columnOf(table, 'evaluation').numbers
    return keepRows(table, (row) => members.has(evaluations[row]!))
  }, [table, front])
  const columns = useMemo(
    () => [...inputsOf(few).filter((c) => moving.includes(c.name)), ...valuesOf(few).filter((c) => objectives.includes(c.name))],
    [few, moving, objectives],
  )
  const ranges = useMemo(() => columns.map(rangeOf), [columns])
  return (
    <>
      <p className="muted mt-3 mb-0">Each design of the front as a line; draw along axes to select</p>
      <Parallel run={run} table={few} columns={columns} ranges={ranges} />
    </>
  )
}

/** A front of three objectives, or of the first three, that can be turned. */
function InSpace({ front, objectives, titles }: { front: Design[]; objectives: string[]; titles: string[] }) {
  const [x, y, z] = objectives as [string, string, string]
  const grid = useMemo(() => {
    const [across, deep] = rangesOf(front, [x, y]) as [[number, number], [number, number]]
    return { x: across, y: deep, z: [[NaN, NaN], [NaN, NaN]] } // there is no surface, only points
  }, [front, x, y])
  const points = useMemo(() => front.map((d) => ({ x: d.values[x]!, y: d.values[y]!, z: d.values[z]!, feasible: d.feasible })), [front, x, y, z])
  return <Relief grid={grid} points={points} names={{ x: titles[0]!, y: titles[1]!, z: titles[2]! }} label={`the front of ${x}, ${y} and ${z}`} />
}

type FigureProps = { run: number; table: Table; front: Design[]; x: string; y: string; titles: [string, string]; picked: number; lined: boolean; beside?: number; tradeoff: Tradeoff }

function FrontFigure({ run, table, front, x, y, titles, picked, lined, beside, tradeoff }: FigureProps) {
  const other = useFront(beside, tradeoff)
  const [right, up] = [columnOf(table, x), columnOf(table, y)]
  const line = useMemo(() => ({ x: front.map((d) => d.values[x]!), y: front.map((d) => d.values[y]!) }), [front, x, y])
  const theirs = useMemo(() => {
    const designs = other.data?.front ?? []
    return { x: designs.map((d) => d.values[x]!), y: designs.map((d) => d.values[y]!) }
  }, [other.data, x, y])
  const middle = front.find((d) => d.evaluation === picked)
  const ranges = useMemo(() => [scope(table, right.numbers, ...line.x, ...theirs.x), scope(table, up.numbers, ...line.y, ...theirs.y)] as const, [table, right, up, line, theirs])
  const before = useCallback<Painter>(
    (context, scales, _box, colours, ratio) => {
      if (lined) {
        drawLine(context, theirs.x, theirs.y, scales, colours.plum, 1.4 * ratio)
        drawLine(context, line.x, line.y, scales, colours.ink, 1.4 * ratio)
      }
      for (const [i, value] of theirs.x.entries()) drawRing(context, scales[0](value), scales[1](theirs.y[i]!), { ...colours, ink: colours.plum }, 2.5 * ratio)
      if (middle) drawRing(context, scales[0](middle.values[x]!), scales[1](middle.values[y]!), colours, 6 * ratio)
    },
    [line, theirs, lined, middle, x, y],
  )
  return (
    <>
      <Points run={run} table={table} x={right} y={up} before={before} height={340} size={2.4} label={`${y} over ${x}`} axes={{ x: { title: titles[0], range: ranges[0] }, y: { title: titles[1], range: ranges[1] } }} />
      {other.error && <Trouble error={other.error} />}
      {other.data && (
        <p className="mb-0" style={{ color: 'var(--plum)', fontSize: 12 }}>
          {other.data.tradeoff ? `plum: the ${other.data.tradeoff.count} designs of the front of run ${beside}` : `run ${beside} has no feasible design`}
        </p>
      )}
    </>
  )
}
