import { useQuery } from '@tanstack/react-query'
import { useCallback, useMemo, useState } from 'react'
import { Form } from 'react-bootstrap'
import { figurePath } from '../api/explore'
import { onSelection, select, selectionOf } from '../api/selection'
import type { Bench, Output, Run } from '../api/types'
import { Chart, type Painter } from '../parts/Chart'
import { limitsOf } from '../parts/limits'
import { drawLine } from '../parts/marks'
import { Panel } from '../parts/Panel'
import { Trouble } from '../parts/Trouble'
import { FigureMenu } from '../parts/FigureMenu'
import { titled } from '../words'

type Trace = { evaluation: number; feasible: boolean; x: number[]; y: number[] }

/** The curves of all designs over each other, with what is selected in ink. */
export function AllCurves({ bench, run }: { bench: Bench; run: Run }) {
  const curves = bench.outputs.filter((o) => o.kind === 'curve')
  const [name, setName] = useState(curves[0]?.name)
  const output = curves.find((c) => c.name === name)
  if (!output) {
    return (
      <Panel title="No curves" style={{ gridColumn: '2 / 4' }}>
        <p className="empty mb-0">The solver of this bench returns single numbers only.</p>
      </Panel>
    )
  }
  return (
    <Panel title={`${output.label ?? output.name} of all designs`} aside="up to 300 of them; what is selected is in ink" style={{ gridColumn: '2 / 4' }}>
      {curves.length > 1 && (
        <Form.Select size="sm" style={{ width: 'auto' }} aria-label="curve" value={output.name} onChange={(e) => setName(e.target.value)}>
          {curves.map((c) => (
            <option key={c.name}>{c.name}</option>
          ))}
        </Form.Select>
      )}
      <Traces bench={bench} run={run} output={output} />
      <FigureMenu run={run.run} query={{ kind: 'curves', of: output.name }} />
    </Panel>
  )
}

/** Reads the table of the figure: evaluation, x, y. */
export function tracesOf(text: string, feasible: (evaluation: number) => boolean): Trace[] {
  const traces: Trace[] = []
  for (const line of text.trim().split('\n').slice(1)) {
    const [evaluation, x, y] = line.split(',').map(Number) as [number, number, number]
    let last = traces.at(-1)
    if (last?.evaluation !== evaluation) traces.push((last = { evaluation, feasible: feasible(evaluation), x: [], y: [] }))
    last.x.push(x)
    last.y.push(y)
  }
  return traces
}

function Traces({ bench, run, output }: { bench: Bench; run: Run; output: Output }) {
  const path = figurePath(run.run, { kind: 'curves', of: output.name, format: 'csv' })
  const curves = useQuery({
    queryKey: ['traces', path, run.usable],
    staleTime: Infinity,
    queryFn: async () => {
      const [response, good] = await Promise.all([fetch(path), fetch(`/v1/runs/${run.run}/evaluations?only=feasible&limit=10000`)])
      if (!response.ok || !good.ok) throw new Error(`The curves could not be had: the service answered ${response.status}.`)
      const { evaluations } = (await good.json()) as { evaluations: { evaluation: number }[] }
      const feasible = new Set(evaluations.map((e) => e.evaluation))
      return tracesOf(await response.text(), (evaluation) => feasible.has(evaluation))
    },
  })
  const limits = useMemo(() => limitsOf(output, bench.requirements), [output, bench])
  const traces = useMemo(() => curves.data ?? [], [curves.data])
  const paint = useCallback<Painter>(
    (context, scales, box, colours, ratio) => {
      for (const pass of [false, true])
        for (const t of traces.filter((one) => one.feasible === pass)) {
          context.globalAlpha = 0.5
          context.setLineDash(pass ? [] : [3 * ratio, 2 * ratio])
          drawLine(context, t.x, t.y, scales, pass ? colours.teal : colours.ochre, 0.8 * ratio)
        }
      context.globalAlpha = 1
      context.font = `${11 * ratio}px system-ui, sans-serif`
      context.textAlign = 'right'
      context.fillStyle = colours.ochre
      for (const limit of limits) {
        const y = scales[1](limit.at)
        context.setLineDash([5 * ratio, 4 * ratio])
        drawLine(context, [box.left, box.right], [y, y], [(v) => v, (v) => v], colours.ochre, 1.4 * ratio)
        context.setLineDash([])
        context.fillText(limit.words, box.right - 2 * ratio, y - 4 * ratio)
      }
      context.setLineDash([])
    },
    [traces, limits],
  )
  const paintAbove = useCallback<Painter>(
    (context, scales, _box, colours, ratio) => {
      const selected = selectionOf(run.run)
      for (const t of traces) if (selected.has(t.evaluation)) drawLine(context, t.x, t.y, scales, colours.ink, 1.6 * ratio)
    },
    [run.run, traces],
  )
  if (curves.error) return <Trouble error={curves.error} />
  if (traces.length === 0) return <p className="muted">{curves.data ? 'No evaluation has this curve.' : 'The curves are read …'}</p>
  const [x, y] = [ends(traces.flatMap((t) => [t.x[0]!, t.x.at(-1)!])), ends([...traces.flatMap((t) => t.y), ...limits.map((l) => l.at)])]
  const near = (atX: number, atY: number, reach: { x: number; y: number }) => {
    let best: Trace | undefined
    let least = 1
    for (const t of traces)
      for (let i = 0; i < t.x.length; i++) {
        const apart = Math.max(Math.abs(t.x[i]! - atX) / reach.x, Math.abs(t.y[i]! - atY) / reach.y)
        if (apart < least) [best, least] = [t, apart]
      }
    return best
  }
  return (
    <Chart
      label={`${output.name} of all designs`} height={420} paint={paint} paintAbove={paintAbove} onChangeAbove={onSelection}
      x={{ title: titled(output.x ?? 'x', output.x_unit), range: x }} y={{ title: titled(output.label ?? output.name, output.unit), range: y }}
      tell={(atX, atY, reach) => {
        const t = near(atX, atY, reach)
        return t ? `evaluation ${t.evaluation}, ${t.feasible ? 'feasible' : 'not feasible'}` : null
      }}
      onClick={(atX, atY, reach) => {
        const t = near(atX, atY, reach)
        select(run.run, t ? [t.evaluation] : [])
      }}
    />
  )
}

function ends(numbers: number[]): [number, number] {
  const [low, high] = numbers.reduce(([a, b], v) => [Math.min(a, v), Math.max(b, v)], [Infinity, -Infinity])
  const room = (high - low || 1) * 0.04
  return [low - room, high + room]
}
