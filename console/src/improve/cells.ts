import type { Result, Value } from '../api/types'
import type { Grid } from '../parts/contours'
import type { Line } from '../parts/Lines'
import { show } from '../words'

export type Cell = NonNullable<Result['cells']>[number]

/** A value of the best design of a cell: the objective for '', or an input; none where the cell has no feasible design. */
export function valueOf(cell: Cell, value: string): Value | undefined {
  if (cell.state !== 'finished') return undefined
  return value === '' ? cell.best?.objective : cell.best?.inputs[value]
}

const numberOf = (cell: Cell, value: string) => {
  const number = valueOf(cell, value)
  return typeof number === 'number' ? number : NaN
}

/** A line for each setting of the other inputs; cells without a feasible design leave it open. */
export function linesOf(cells: Cell[], along: string, value: string): Line[] {
  const groups = new Map<string, Line>()
  for (const cell of cells) {
    const others = Object.entries(cell.at).filter(([name]) => name !== along)
    const name = others.map(([input, at]) => `${input} ${show(at)}`).join(', ')
    const line = groups.get(name) ?? { name, x: [], y: [], colour: 'teal' as const, width: 1.6 }
    groups.set(name, line)
    line.x.push(cell.at[along] as number)
    line.y.push(numberOf(cell, value))
  }
  return [...groups.values()].map((line) => ({ ...line, nameAt: { i: Math.max(0, line.y.findLastIndex((y) => !Number.isNaN(y))), above: true } }))
}

/** The cells over two of their inputs, as a grid: NaN where there is no feasible design. */
export function gridOf(cells: Cell[], x: string, y: string, value: string): Grid & { cells: (Cell | undefined)[][] } {
  const along = sorted(cells.map((cell) => cell.at[x] as number))
  const up = sorted(cells.map((cell) => cell.at[y] as number))
  const at: (Cell | undefined)[][] = up.map(() => along.map(() => undefined))
  for (const cell of cells) at[up.indexOf(cell.at[y] as number)]![along.indexOf(cell.at[x] as number)] = cell
  return { x: along, y: up, cells: at, z: at.map((row) => row.map((cell) => (cell ? numberOf(cell, value) : NaN))) }
}

const sorted = (numbers: number[]) => [...new Set(numbers)].sort((a, b) => a - b)

/** The inputs of a sweep that are numbers, and take more than one. */
export const numericInputs = (cells: Cell[]) => Object.keys(cells[0]!.at).filter((name) => cells.every((c) => typeof c.at[name] === 'number') && new Set(cells.map((c) => c.at[name])).size > 1)
