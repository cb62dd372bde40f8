import { useMemo, useState } from 'react'
import { Form } from 'react-bootstrap'
import type { Result, Value } from '../api/types'
import { Mark } from '../parts/EvaluationsTable'
import { Lines, type Line } from '../parts/Lines'
import { Panel } from '../parts/Panel'
import { show } from '../words'

type Cell = NonNullable<Result['cells']>[number]

const words = { finished: 'feasible', infeasible: 'no feasible design', failed: 'every evaluation failed', unfinished: 'not yet done' }

/** The best of every cell of a sweep, as a table and as lines over one of its inputs. */
export function Cells({ cells, objective }: { cells: Cell[]; objective?: string }) {
  const over = Object.keys(cells[0]!.at)
  const moving = Object.keys(cells.find((c) => c.best)?.best?.inputs ?? {}).filter((name) => !over.includes(name) && new Set(cells.map((c) => c.best?.inputs[name])).size > 1)
  const [value, setValue] = useState('')
  const [along, setAlong] = useState(over.find((name) => cells.every((c) => typeof c.at[name] === 'number')))
  const lines = useMemo(() => (along ? linesOf(cells, along, value) : []), [cells, along, value])
  const done = cells.filter((c) => c.state !== 'unfinished').length
  const name = value || objective || 'objective'
  return (
    <Panel title="Cells" aside={`${done} of ${cells.length} are done`} style={{ gridColumn: '2 / 4' }}>
      {along && lines.length > 0 && (
        <>
          <div className="d-flex gap-3 mb-2">
            <Form.Select size="sm" style={{ width: 220 }} aria-label="value that is drawn" value={value} onChange={(e) => setValue(e.target.value)}>
              <option value="">{objective ?? 'objective'} of the best design</option>
              {moving.map((input) => (
                <option key={input} value={input}>
                  {input} of the best design
                </option>
              ))}
            </Form.Select>
            {over.length > 1 && (
              <Form.Select size="sm" style={{ width: 180 }} aria-label="over which input" value={along} onChange={(e) => setAlong(e.target.value)}>
                {over
                  .filter((input) => cells.every((c) => typeof c.at[input] === 'number'))
                  .map((input) => (
                    <option key={input} value={input}>
                      over {input}
                    </option>
                  ))}
              </Form.Select>
            )}
          </div>
          <Lines lines={lines} limits={[]} units={{}} height={240} label={`${name} over ${along}`} axes={{ x: { title: along, range: rangeOf(lines.flatMap((l) => l.x)) }, y: { title: name, range: rangeOf(lines.flatMap((l) => l.y)) } }} />
        </>
      )}
      <div className="scroll mt-2" style={{ maxHeight: 320 }}>
        <table className="plain points">
          <thead>
            <tr>
              <th>
                <span className="visually-hidden">mark</span>
              </th>
              {[...over, objective ?? 'objective', ...moving].map((head) => (
                <th key={head}>{head}</th>
              ))}
              <th className="left">state</th>
            </tr>
          </thead>
          <tbody>
            {cells.map((cell, i) => (
              <tr key={i}>
                <td>{cell.state === 'finished' || cell.state === 'infeasible' ? <Mark kind={cell.state === 'finished' ? 'feasible' : 'infeasible'} best={false} /> : null}</td>
                {over.map((input) => (
                  <td key={input}>{show(cell.at[input])}</td>
                ))}
                <td>{cell.state === 'finished' ? show(cell.best?.objective) : ''}</td>
                {moving.map((input) => (
                  <td key={input}>{cell.state === 'finished' ? show(cell.best?.inputs[input]) : ''}</td>
                ))}
                <td className="why">{words[cell.state]}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Panel>
  )
}

const numberOf = (cell: Cell, value: string): Value | undefined => (value === '' ? cell.best?.objective : cell.best?.inputs[value])

/** A line for each setting of the other inputs; cells without a feasible design leave it open. */
export function linesOf(cells: Cell[], along: string, value: string): Line[] {
  const groups = new Map<string, Line>()
  for (const cell of cells) {
    const drawn = numberOf(cell, value)
    const others = Object.entries(cell.at).filter(([name]) => name !== along)
    const name = others.map(([input, at]) => `${input} ${show(at)}`).join(', ')
    const line = groups.get(name) ?? { name, x: [], y: [], colour: 'teal' as const, width: 1.6 }
    groups.set(name, line)
    line.x.push(cell.at[along] as number)
    line.y.push(cell.state === 'finished' && typeof drawn === 'number' ? drawn : NaN)
  }
  return [...groups.values()].map((line) => ({ ...line, nameAt: { i: Math.max(0, line.y.findLastIndex((y) => !Number.isNaN(y))), above: true } }))
}

function rangeOf(all: number[]): [number, number] {
  const numbers = all.filter((v) => Number.isFinite(v))
  if (numbers.length === 0) return [0, 1]
  const [low, high] = [Math.min(...numbers), Math.max(...numbers)]
  const pad = (high - low || Math.abs(high) || 1) * 0.06
  return [low - pad, high + pad]
}
