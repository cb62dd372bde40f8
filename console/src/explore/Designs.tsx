import { useMemo, useState } from 'react'
import { Form } from 'react-bootstrap'
import { inputsOf, keepRows, valuesOf, type Column, type Table } from '../api/table'
import type { Bench, Run } from '../api/types'
import { EvaluationsTable } from '../parts/EvaluationsTable'
import { Panel } from '../parts/Panel'
import { Points } from '../parts/Points'
import { show } from '../words'
import { FigureMenu } from '../parts/FigureMenu'
import { Histogram } from './Histogram'
import { mostAbove, mostLines, Parallel } from './Parallel'
import { axisOf, rangeOf, useLocked } from './ranges'

const mostOfMatrix = 5
const mostOfParallel = 12

/** Every design in one figure after the other; what is selected in one is selected in all. */
export function Designs({ bench, run, table, best }: { bench: Bench; run: Run; table: Table; best?: number }) {
  const columns = useMemo(() => [...inputsOf(table), ...valuesOf(table)], [table])
  const named = (name: string | undefined) => columns.find((c) => c.name === name)
  const [first, second] = [valuesOf(table)[0]?.name, valuesOf(table)[1]?.name ?? inputsOf(table)[0]?.name]
  const [x, setX] = useState(second)
  const [y, setY] = useState(first)
  const [colour, setColour] = useState('')
  const [of, setOf] = useState(first)
  const locked = useLocked(bench.name)
  const [across, up, value, third] = [named(x) ?? columns[0]!, named(y) ?? columns[0]!, named(of) ?? columns[0]!, named(colour)]
  const lines = columns.slice(0, mostOfParallel)
  const ranges = useMemo(() => lines.map((c) => locked?.[c.name] ?? tight(c)), [lines, locked])
  return (
    <>
      <Panel title="Parallel coordinates" aside={`draw along axes to select${table.rows > mostLines ? `; ${mostLines.toLocaleString('en')} of ${table.rows.toLocaleString('en')} lines are drawn, and ${mostAbove} of what is selected` : ''}`} style={{ gridColumn: '2 / 4' }}>
        <Parallel run={run.run} table={table} columns={lines} ranges={ranges} />
        <FigureMenu run={run.run} query={{ kind: 'parallel', of: lines.map((c) => c.name).join(',') }} />
      </Panel>
      <Panel title="Scatter">
        <div className="d-flex gap-2 mb-1">
          <Choice label="upwards" columns={columns} value={up.name} onChange={setY} />
          <Choice label="to the right" columns={columns} value={across.name} onChange={setX} />
          <Choice label="shade" columns={columns} value={colour} onChange={setColour} none="feasibility" />
        </div>
        <Points run={run.run} table={table} x={across} y={up} colour={third} height={300} label={`${up.name} over ${across.name}`} axes={{ x: axisOf(across, locked), y: axisOf(up, locked) }} />
        {third && <Shades column={third} />}
        <FigureMenu run={run.run} query={{ kind: 'scatter', x: across.name, y: up.name, ...(third ? { colour: third.name } : {}) }} />
      </Panel>
      <Panel title="Histogram">
        <div className="d-flex gap-2 mb-1">
          <Choice label="of" columns={columns} value={value.name} onChange={setOf} />
        </div>
        <Histogram run={run.run} table={table} column={value} range={locked?.[value.name] ?? tight(value)} requirements={bench.requirements} height={300} />
        {value.kind === 'value' && <FigureMenu run={run.run} query={{ kind: 'histogram', of: value.name }} />}
      </Panel>
      <Panel title="Designs" style={{ gridColumn: '2 / 4' }}>
        <EvaluationsTable table={table} run={run.run} best={best} filtered />
      </Panel>
      <ScatterMatrix bench={bench} run={run} table={table} columns={columns} />
    </>
  )
}

/** From the least to the most, without room. */
function tight(column: Column): [number, number] {
  const [low, high] = rangeOf(column)
  const room = (high - low) / 22 // what rangeOf leaves
  return column.words ? [low, high] : [low + room, high - room]
}

function Choice({ label, columns, value, onChange, none }: { label: string; columns: Column[]; value: string; onChange: (name: string) => void; none?: string }) {
  return (
    <Form.Select size="sm" style={{ width: 'auto', minWidth: 0 }} aria-label={label} title={label} value={value} onChange={(e) => onChange(e.target.value)}>
      {none && <option value="">{none}</option>}
      {columns.map((c) => (
        <option key={c.name} value={c.name}>
          {c.name}
        </option>
      ))}
    </Form.Select>
  )
}

/** Which shade is which number. */
function Shades({ column }: { column: Column }) {
  let [low, high] = [Infinity, -Infinity]
  for (const v of column.numbers) {
    if (v < low) low = v
    if (v > high) high = v
  }
  const word = (v: number) => (column.words ? column.words[v] : show(v))
  return (
    <p className="muted d-flex gap-2 align-items-center mb-0" style={{ fontSize: 12 }}>
      {column.name} {word(low)} <i style={{ width: 160, height: 8, background: 'linear-gradient(90deg, var(--shade-0), var(--shade-1), var(--shade-2), var(--shade-3))' }} /> {word(high)} {column.unit}
    </p>
  )
}

/** How many designs a panel of the matrix has at most. */
export const thinnedTo = 2000

/** Every so many-th row of a table. */
export function thin(table: Table): Table {
  const step = Math.ceil(table.rows / thinnedTo)
  if (step <= 1) return table
  return keepRows(table, (row) => row % step === 0)
}

/** Every number over every other; which ones can be chosen. */
function ScatterMatrix({ bench, run, table, columns }: { bench: Bench; run: Run; table: Table; columns: Column[] }) {
  const [names, setNames] = useState(() => [...inputsOf(table).slice(0, 2), ...valuesOf(table).slice(0, 2)].map((c) => c.name))
  const few = useMemo(() => thin(table), [table])
  const shown = few.columns.filter((c) => names.includes(c.name))
  const locked = useLocked(bench.name)
  return (
    <Panel
      title="Scatter matrix" style={{ gridColumn: '2 / 4' }}
      aside={few === table ? `up to ${mostOfMatrix} numbers` : `thinned to ${few.rows.toLocaleString('en')} of ${table.rows.toLocaleString('en')} designs`}
    >
      <div className="d-flex flex-wrap gap-2 mb-2">
        {columns.map((c) => (
          <Form.Check
            key={c.name} type="checkbox" id={`matrix-${c.name}`} label={c.name} checked={names.includes(c.name)} disabled={!names.includes(c.name) && names.length >= mostOfMatrix}
            onChange={(e) => setNames(e.target.checked ? [...names, c.name] : names.filter((name) => name !== c.name))}
          />
        ))}
      </div>
      <div className="matrix" style={{ gridTemplateColumns: `repeat(${shown.length}, minmax(0, 1fr))` }}>
        {shown.flatMap((up, i) =>
          shown.map((across, k) =>
            i === k ? (
              <Histogram key={up.name} run={run.run} table={few} column={up} range={locked?.[up.name] ?? tight(up)} requirements={[]} height={150} />
            ) : (
              <Points
                key={`${up.name} ${across.name}`} run={run.run} table={few} x={across} y={up} height={150} size={2} label={`${up.name} over ${across.name}`} margins={{ left: 40, right: 6 }}
                axes={{ x: axisOf(across, locked), y: axisOf(up, locked) }}
              />
            ),
          ),
        )}
      </div>
      <FigureMenu run={run.run} query={{ kind: 'matrix', of: shown.map((c) => c.name).join(',') }} />
    </Panel>
  )
}
