import { useMemo, useState } from 'react'
import { Form } from 'react-bootstrap'
import type { Result, Value } from '../api/types'
import { Lines, type Line } from '../parts/Lines'
import { MarkedTable } from '../parts/MarkedTable'
import { Panel } from '../parts/Panel'
import { show } from '../words'

type Cell = NonNullable<Result['cells']>[number]

const kinds = { finished: 'feasible', infeasible: 'infeasible', failed: 'failed', unfinished: undefined } as const
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
        <MarkedTable
          heads={[...over, objective ?? 'objective', ...moving]} words="state"
          rows={cells.map((cell, i) => ({
            key: i, kind: kinds[cell.state], why: words[cell.state],
            cells: [...over.map((input) => show(cell.at[input])), ...(cell.state === 'finished' ? [show(cell.best?.objective), ...moving.map((input) => show(cell.best?.inputs[input]))] : ['', ...moving.map(() => '')])],
          }))}
        />
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
