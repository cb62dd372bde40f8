import { cleanup, fireEvent, render, screen, within } from '@testing-library/react'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { Bench, Value } from '../api/types'
import { Cells } from './Cells'
import { gridOf, linesOf, numericInputs, valueOf, type Cell } from './cells'

type Told = { label: string; tell: (x: number, y: number, near: { x: number; y: number }) => string | null }
let charts: Told[] = []

vi.mock('../parts/Chart', () => ({
  Chart: (props: Told) => {
    charts.push(props) // it draws on a canvas
    return <i role="img" aria-label={props.label} />
  },
}))
vi.mock('../parts/Relief', () => ({ Relief: ({ label }: { label: string }) => <i role="img" aria-label={`relief: ${label}`} /> }))

afterEach(() => {
  cleanup()
  charts = []
})

const bench = { inputs: [{ name: 'load', unit: 'kN' }, { name: 'lift', unit: 'm' }, { name: 'rope' }, { name: 'width', unit: 'mm' }] } as unknown as Bench

const cell = (at: Record<string, Value>, objective?: number, more: Partial<Cell> = {}): Cell => ({
  at, says: '', used: 20, state: objective === undefined ? 'infeasible' : 'finished',
  best: { evaluation: 1, inputs: { ...at, width: 100 + (objective ?? 0) }, values: {}, feasible: objective !== undefined, requirements: {}, ...(objective === undefined ? {} : { objective }) }, ...more,
})

/** Cells over a load, a lift and a rope. */
const cells: Cell[] = [8, 16].flatMap((load) => [20, 60, 100].flatMap((lift) => ['steel', 'fibre'].map((rope) => cell({ load, lift, rope }, load === 16 && lift === 100 ? undefined : load + lift + (rope === 'steel' ? 0 : 1000)))))

const shown = (all: Cell[]) => render(<Cells bench={bench} run={7} cells={all} objective="mass" unit="kg" />)
const choices = (label: string) => within(screen.getByLabelText(label)).getAllByRole<HTMLOptionElement>('option').map((o) => o.textContent)
const choose = (label: string, value: string) => fireEvent.change(screen.getByLabelText(label), { target: { value } })

describe('the cells of a sweep', () => {
  it('are drawn from above at first, cut at one of the words, with what a cell has under the pointer', () => {
    shown(cells)
    expect(screen.getByText('12 of 12 are done')).toBeTruthy()
    expect(screen.getByRole('img', { name: 'mass of the best designs over load and lift' })).toBeTruthy()
    const near = { x: 1, y: 1 }
    expect(charts.at(-1)!.tell(8, 20, near)).toBe('load 8, lift 20: mass 28')
    expect(charts.at(-1)!.tell(16, 100, near)).toBe('load 16, lift 100: no feasible design')
    expect(charts.at(-1)!.tell(1000, 20, near)).toBeNull()
    expect(choices('rope')).toEqual(['at rope steel', 'at rope fibre'])
    choose('rope', '1')
    expect(charts.at(-1)!.tell(8, 20, near)).toBe('load 8, lift 20: mass 1,028')
  })

  it('can be lines over one input, each with the settings of the others', () => {
    shown(cells)
    choose('how it is drawn', 'lines')
    expect(screen.queryByLabelText('rope')).toBeNull()
    expect(screen.getByRole('img', { name: 'mass of the best designs over load' })).toBeTruthy()
    choose('to the right', 'lift')
    expect(screen.getByRole('img', { name: 'mass of the best designs over lift' })).toBeTruthy()
  })

  it('can be a relief, and show an input of the best designs', () => {
    shown(cells)
    choose('value that is drawn', 'width')
    choose('how it is drawn', 'relief')
    expect(screen.getByRole('img', { name: 'relief: width of the best designs over load and lift' })).toBeTruthy()
    choose('to the right', 'lift')
    expect(screen.getByRole('img', { name: 'relief: width of the best designs over lift and load' })).toBeTruthy()
  })

  it('have files of the figure as it stands', () => {
    shown(cells)
    choose('rope', '1')
    choose('value that is drawn', 'width')
    const address = decodeURIComponent(screen.getByText<HTMLAnchorElement>('SVG').href)
    for (const part of ['/v1/runs/7/figure?', 'kind=cells', 'x=load', 'y=lift', 'of=width', 'at=rope=fibre', 'format=svg']) expect(address).toContain(part)
  })

  it('are listed with what is in the way', () => {
    shown([cell({ load: 1 }, 5), cell({ load: 2 }, undefined, { used: 0, says: 'R4 cannot be met, whatever the solver says' }), cell({ load: 3 }), cell({ load: 4 }, undefined, { state: 'failed' }), cell({ load: 5 }, undefined, { state: 'unfinished' })])
    expect(screen.getByText('4 of 5 are done')).toBeTruthy()
    for (const words of ['feasible', 'R4 cannot be met, whatever the solver says', 'no feasible design', 'every evaluation failed', 'not yet done']) expect(screen.getByText(words)).toBeTruthy()
    expect(screen.queryByLabelText('how it is drawn')).toBeNull() // one input has lines alone
  })

  it('show an input where there is no objective', () => {
    render(<Cells bench={bench} run={7} cells={cells} />)
    expect(choices('value that is drawn')).toEqual(['width of the best design'])
    expect(screen.getByRole('img', { name: 'width of the best designs over load and lift' })).toBeTruthy()
  })

  it('have no figure while none is done', () => {
    shown([cell({ load: 1 }, undefined, { state: 'unfinished' }), cell({ load: 2 }, undefined, { state: 'unfinished' })])
    expect(screen.queryByRole('img')).toBeNull()
  })
})

describe('what is drawn of cells', () => {
  it('is a number of the best design, where there is one', () => {
    expect(valueOf(cells[0]!, '')).toBe(28)
    expect(valueOf(cells[0]!, 'width')).toBe(128)
    expect(valueOf(cell({ load: 1 }), 'width')).toBeUndefined()
    expect(numericInputs(cells)).toEqual(['load', 'lift'])
  })

  it('is ordered, whatever the order of the cells', () => {
    const turned = [...cells].reverse()
    expect(gridOf(turned, 'load', 'lift', '').x).toEqual([8, 16])
    expect(gridOf(turned, 'load', 'lift', '').y).toEqual([20, 60, 100])
    expect(linesOf(cells, 'lift', '').map((line) => line.name)).toEqual(['load 8, rope steel', 'load 8, rope fibre', 'load 16, rope steel', 'load 16, rope fibre'])
    expect(linesOf(cells, 'lift', '')[2]!.nameAt).toEqual({ i: 1, above: true }) // where the line ends
  })
})
