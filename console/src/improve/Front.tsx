import { useCallback, useMemo, useState } from 'react'
import { Form } from 'react-bootstrap'
import { select } from '../api/selection'
import { columnOf, type Table } from '../api/table'
import type { Bench, Result } from '../api/types'
import type { Painter } from '../parts/Chart'
import { scope } from '../parts/ConvergenceFigure'
import { drawLine, drawRing } from '../parts/marks'
import { MarkedTable } from '../parts/MarkedTable'
import { Panel } from '../parts/Panel'
import { Points } from '../parts/Points'
import { show, titled } from '../words'

type Design = NonNullable<Result['best']>

type Props = { bench: Bench; run: number; table: Table; front: Design[]; tradeoff: NonNullable<Result['tradeoff']>; unitOf: (name: string) => string | undefined }

/** The designs of which none is better in every objective, before all others. */
export function Front({ bench, run, table, front, tradeoff, unitOf }: Props) {
  const { objectives } = tradeoff
  const [axes, setAxes] = useState<[number, number]>([0, 1])
  const [x, y] = [objectives[axes[0]]!, objectives[axes[1]]!]
  const moving = bench.inputs.filter((input) => new Set(front.map((d) => d.inputs[input.name])).size > 1).map((input) => input.name)
  const choice = (k: 0 | 1, label: string) => (
    <Form.Select size="sm" style={{ width: 'auto' }} aria-label={label} value={axes[k]} onChange={(e) => setAxes(k === 0 ? [Number(e.target.value), axes[1]] : [axes[0], Number(e.target.value)])}>
      {objectives.map((name, i) => (
        <option key={name} value={i}>
          {name}
        </option>
      ))}
    </Form.Select>
  )
  return (
    <Panel title="Trade-off" aside={`${tradeoff.count} ${tradeoff.count === 1 ? 'design' : 'designs'} on the front`} style={{ gridColumn: '2 / 4' }}>
      <p className="mb-2">{tradeoff.says[0]!.toUpperCase() + tradeoff.says.slice(1)}.</p>
      {objectives.length > 2 && (
        <div className="d-flex gap-2 mb-2">
          {choice(0, 'to the right')}
          {choice(1, 'upwards')}
        </div>
      )}
      <FrontFigure run={run} table={table} front={front} x={x} y={y} titles={[titled(x, unitOf(x)), titled(y, unitOf(y))]} compromise={tradeoff.compromise} lined={objectives.length === 2} />
      <div className="scroll mt-2" style={{ maxHeight: 320 }}>
        <MarkedTable
          heads={['evaluation', ...[...objectives, ...moving].map((name) => titled(name, unitOf(name)))]} words="what it is"
          rows={front.map((d) => ({
            key: d.evaluation, kind: 'feasible', why: d.evaluation === tradeoff.compromise ? (tradeoff.knee ? 'the knee' : 'nearest to the best of each') : '',
            cells: [show(d.evaluation), ...objectives.map((name) => show(d.values[name])), ...moving.map((name) => show(d.inputs[name]))], onClick: () => select(run, [d.evaluation]),
          }))}
        />
      </div>
    </Panel>
  )
}

type FigureProps = { run: number; table: Table; front: Design[]; x: string; y: string; titles: [string, string]; compromise: number; lined: boolean }

function FrontFigure({ run, table, front, x, y, titles, compromise, lined }: FigureProps) {
  const [right, up] = [columnOf(table, x), columnOf(table, y)]
  const line = useMemo(() => ({ x: front.map((d) => d.values[x]!), y: front.map((d) => d.values[y]!) }), [front, x, y])
  const middle = front.find((d) => d.evaluation === compromise)
  const ranges = useMemo(() => [scope(table, right.numbers, ...line.x), scope(table, up.numbers, ...line.y)] as const, [table, right, up, line])
  const before = useCallback<Painter>(
    (context, scales, _box, colours, ratio) => {
      if (lined) drawLine(context, line.x, line.y, scales, colours.ink, 1.4 * ratio)
      if (middle) drawRing(context, scales[0](middle.values[x]!), scales[1](middle.values[y]!), colours, 6 * ratio)
    },
    [line, lined, middle, x, y],
  )
  return <Points run={run} table={table} x={right} y={up} before={before} height={340} size={2.4} label={`${y} over ${x}`} axes={{ x: { title: titles[0], range: ranges[0] }, y: { title: titles[1], range: ranges[1] } }} />
}
