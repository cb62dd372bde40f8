import { columnOf, type Column, type Table } from '../api/table'
import { evaluationRange, scope } from './ConvergenceFigure'
import { Points } from './Points'

/** A value by evaluation. */
export function ValueFigure({ run, table, column, unit, budget }: { run: number; table: Table; column: Column; unit?: string; budget: number }) {
  return (
    <Points
      run={run} table={table} x={columnOf(table, 'evaluation')} y={column} height={190} margins={{ right: 84 }} label={`${column.name} by evaluation`}
      axes={{ x: { title: 'evaluation', range: evaluationRange(table, budget) }, y: { title: unit ? `${column.name}, ${unit}` : column.name, range: scope(table, column.numbers) } }}
    />
  )
}
