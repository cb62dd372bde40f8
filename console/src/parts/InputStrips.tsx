import { useCallback } from 'react'
import { columnOf, inputsOf, type Column, type Table } from '../api/table'
import type { Input } from '../api/types'
import type { Painter } from './Chart'
import { evaluationRange } from './ConvergenceFigure'
import { drawLine } from './marks'
import { Points } from './Points'

/** Each varied input by evaluation, between lines at the ends of what it can be. */
export function InputStrips({ run, table, inputs, budget }: { run: number; table: Table; inputs: Input[]; budget: number }) {
  const shown = inputsOf(table).flatMap((column) => {
    const input = inputs.find((i) => i.name === column.name)
    return input?.varied ? [{ column, input }] : []
  })
  return (
    <>
      {shown.map(({ column, input }, i) => (
        <Strip key={input.name} run={run} table={table} column={column} input={input} budget={budget} last={i === shown.length - 1} />
      ))}
    </>
  )
}

function Strip({ run, table, column, input, budget, last }: { run: number; table: Table; column: Column; input: Input; budget: number; last: boolean }) {
  const { lower, upper, ticks } = scaleOf(input)
  const behind = useCallback<Painter>(
    (context, scales, box, colours, ratio) => {
      for (const end of [lower, upper]) drawLine(context, [box.left, box.right], [end, end], [(v) => v, scales[1]], colours.slate, ratio)
    },
    [lower, upper],
  )
  return (
    <div className="strip">
      <span>
        {input.name} <span className="muted">{input.unit}</span>
      </span>
      <Points
        run={run} table={table} x={columnOf(table, 'evaluation')} y={column} behind={behind} size={1.8} height={last ? 94 : 58} margins={{ left: 56, right: 84, top: 4 }} label={`${input.name} by evaluation`}
        axes={{
          x: { title: last ? 'evaluation' : undefined, hidden: !last, range: evaluationRange(table, budget) },
          y: { range: pad(lower, upper, input.log), log: input.log, ticks: { at: [lower, upper], words: ticks } },
        }}
      />
    </div>
  )
}

/** The ends of what an input can be, and what is written there: words stand at their numbers. */
export function scaleOf(input: Input): { lower: number; upper: number; ticks: [string, string] } {
  const words = input.choices?.words
  if (words) return { lower: 0, upper: words.length - 1, ticks: [words[0]!, words[words.length - 1]!] }
  const numbers = input.choices?.numbers ?? [input.range!.lower, input.range!.upper]
  const [lower, upper] = [numbers[0]!, numbers[numbers.length - 1]!]
  return { lower, upper, ticks: [String(lower), String(upper)] }
}

/** The ends of an axis, with room for the marks at the ends of what an input can be. */
export function pad(lower: number, upper: number, log?: boolean): [number, number] {
  if (log) {
    const room = (upper / lower) ** 0.08
    return [lower / room, upper * room]
  }
  const room = (upper - lower || 1) * 0.08
  return [lower - room, upper + room]
}
