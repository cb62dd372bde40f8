import { useCallback, useMemo } from 'react'
import { columnOf, type Column, type Table } from '../api/table'
import { titled } from '../words'
import type { Painter } from './Chart'
import { evaluationRange, scope } from './ConvergenceFigure'
import { drawLimits, type LimitLine } from './marks'
import { Points } from './Points'

const none: LimitLine[] = []

type Props = { run: number; table: Table; column: Column; unit?: string; budget: number; limits?: LimitLine[] }

/** A value by evaluation, with its limits. */
export function ValueFigure({ run, table, column, unit, budget, limits = none }: Props) {
  const range = useMemo(() => scope(table, column.numbers, ...limits.map((limit) => limit.at)), [table, column, limits])
  const behind = useCallback<Painter>((context, scales, box, colours, ratio) => drawLimits(context, limits, scales[1], box, colours, ratio), [limits])
  return (
    <Points
      run={run} table={table} x={columnOf(table, 'evaluation')} y={column} behind={behind} height={190} margins={{ right: 84 }} label={`${column.name} by evaluation`}
      axes={{ x: { title: 'evaluation', range: evaluationRange(table, budget) }, y: { title: titled(column.name, unit), range } }}
    />
  )
}
