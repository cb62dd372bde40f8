import { useMemo, useState } from 'react'
import { Form } from 'react-bootstrap'
import type { Bench, Value } from '../api/types'
import { FigureMenu } from '../parts/FigureMenu'
import { spanOf } from '../explore/ranges'
import { Lines } from '../parts/Lines'
import { MarkedTable } from '../parts/MarkedTable'
import { Panel } from '../parts/Panel'
import { Relief } from '../parts/Relief'
import { show, titled } from '../words'
import { CellMap } from './CellMap'
import { gridOf, linesOf, numericInputs, valueOf, type Cell } from './cells'

const kinds = { finished: 'feasible', infeasible: 'infeasible', failed: 'failed', unfinished: undefined } as const
const words = { finished: 'feasible', infeasible: 'no feasible design', failed: 'every evaluation failed', unfinished: 'not yet done' }

type Props = { bench: Bench; run: number; cells: Cell[]; objective?: string; unit?: string }

/** The best of every cell of a sweep: figures over its inputs, and a table. */
export function Cells({ bench, run, cells, objective, unit }: Props) {
  const over = Object.keys(cells[0]!.at)
  const moving = Object.keys(cells.find((c) => c.best)?.best?.inputs ?? {}).filter((name) => !over.includes(name) && new Set(cells.map((c) => c.best?.inputs[name])).size > 1)
  const done = cells.filter((c) => c.state !== 'unfinished').length
  const unitOf = (name: string) => bench.inputs.find((i) => i.name === name)?.unit
  const head = titled(objective ?? 'objective', unit)
  return (
    <Panel title="Cells" aside={`${done} of ${cells.length} are done`} style={{ gridColumn: '2 / 4' }}>
      {numericInputs(cells).length > 0 && done > 0 && <CellFigures run={run} cells={cells} moving={moving} unitOf={(name) => (name === '' ? unit : unitOf(name))} objective={objective} />}
      <div className="scroll mt-2" style={{ maxHeight: 320 }}>
        <MarkedTable
          heads={[...over.map((name) => titled(name, unitOf(name))), head, ...moving.map((name) => titled(name, unitOf(name)))]} words="state"
          rows={cells.map((cell, i) => ({
            key: i, kind: kinds[cell.state], why: cell.state === 'infeasible' && cell.used === 0 ? cell.says : words[cell.state],
            cells: [...over.map((input) => show(cell.at[input])), ...['', ...moving].map((value) => show(valueOf(cell, value)))],
          }))}
        />
      </div>
    </Panel>
  )
}

type View = 'map' | 'relief' | 'lines'

type FiguresProps = { run: number; cells: Cell[]; moving: string[]; unitOf: (name: string) => string | undefined; objective?: string }

function CellFigures({ run, cells, moving, unitOf, objective }: FiguresProps) {
  const numeric = numericInputs(cells)
  const [chosen, setChosen] = useState<string>()
  const value = chosen ?? (objective === undefined ? (moving[0] ?? '') : '')
  const [view, setView] = useState<View>(numeric.length > 1 ? 'map' : 'lines')
  const [x, setX] = useState(numeric[0]!)
  const [second, setSecond] = useState(numeric[1])
  const y = second === x ? numeric.find((name) => name !== x) : second
  const [fixed, setFixed] = useState<Record<string, Value>>({})
  const flat = view !== 'lines' && y !== undefined
  const others = Object.keys(cells[0]!.at).filter((name) => flat && name !== x && name !== y && new Set(cells.map((c) => c.at[name])).size > 1)
  const drawn = useMemo(() => cells.filter((cell) => others.every((name) => cell.at[name] === (fixed[name] ?? cells[0]!.at[name]))), [cells, others, fixed])
  const title = titled(value || (objective ?? ''), unitOf(value))
  const axis = (name: string) => ({ name, title: titled(name, unitOf(name)) })
  const label = `${value || (objective ?? 'nothing')} of the best designs over ${x}${flat ? ` and ${y}` : ''}`
  return (
    <>
      <div className="d-flex gap-2 mb-2 flex-wrap">
        <Choice label="value that is drawn" value={value} options={[...(objective === undefined ? [] : ['']), ...moving].map((name) => [name, `${name || objective} of the best design`])} onChange={setChosen} />
        {numeric.length > 1 && <Choice label="how it is drawn" value={view} options={[['map', 'from above'], ['relief', 'in relief'], ['lines', 'as lines']]} onChange={(to) => setView(to as View)} />}
        {numeric.length > 1 && <Choice label="to the right" value={x} options={numeric.map((name) => [name, `over ${name}`])} onChange={setX} />}
        {flat && numeric.length > 2 && <Choice label="upwards" value={y} options={numeric.filter((name) => name !== x).map((name) => [name, `and ${name}`])} onChange={setSecond} />}
        {others.map((name) => {
          const values = [...new Set(cells.map((c) => c.at[name]!))]
          return <Choice key={name} label={name} value={String(values.indexOf(fixed[name] ?? values[0]!))} options={values.map((v, i) => [String(i), `at ${name} ${show(v)}`])} onChange={(i) => setFixed({ ...fixed, [name]: values[Number(i)]! })} />
        })}
      </div>
      {!flat && <CellLines cells={drawn} along={x} value={value} titles={[titled(x, unitOf(x)), title]} label={label} />}
      {flat && view === 'map' && <CellMap cells={drawn} x={axis(x)} y={axis(y)} value={value} title={label} words={(cell) => (cell.state === 'finished' ? `${value || (objective ?? '')} ${show(valueOf(cell, value))}` : words[cell.state])} />}
      {flat && view === 'relief' && <CellRelief cells={drawn} x={axis(x)} y={axis(y)} value={value} title={title} label={label} />}
      {flat && <p className="muted mb-0">Cells that are left open have no feasible design (◇), only failed evaluations (▮), or are not yet done.</p>}
      <FigureMenu run={run} query={{ kind: 'cells', x, ...(flat ? { y } : {}), ...(value ? { of: value } : {}), ...(others.length > 0 ? { at: others.map((name) => `${name}=${fixed[name] ?? cells[0]!.at[name]!}`).join(',') } : {}) }} />
    </>
  )
}

function Choice({ label, value, options, onChange }: { label: string; value: string; options: [string, string][]; onChange: (value: string) => void }) {
  return (
    <Form.Select size="sm" style={{ width: 'auto' }} aria-label={label} title={label} value={value} onChange={(e) => onChange(e.target.value)}>
      {options.map(([key, text]) => (
        <option key={key} value={key}>
          {text}
        </option>
      ))}
    </Form.Select>
  )
}

function CellLines({ cells, along, value, titles, label }: { cells: Cell[]; along: string; value: string; titles: [string, string]; label: string }) {
  const lines = useMemo(() => linesOf(cells, along, value), [cells, along, value])
  return <Lines lines={lines} limits={[]} units={{}} height={300} label={label} axes={{ x: { title: titles[0], range: spanOf(lines.flatMap((l) => l.x)) }, y: { title: titles[1], range: spanOf(lines.flatMap((l) => l.y)) } }} />
}

const noPoints: never[] = []

type ReliefProps = { cells: Cell[]; x: { name: string; title: string }; y: { name: string; title: string }; value: string; title: string; label: string }

function CellRelief({ cells, x, y, value, title, label }: ReliefProps) {
  const grid = useMemo(() => gridOf(cells, x.name, y.name, value), [cells, x.name, y.name, value])
  const names = useMemo(() => ({ x: x.title, y: y.title, z: title }), [x.title, y.title, title])
  return <Relief grid={grid} points={noPoints} names={names} label={label} />
}
