import { cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { Input } from '../api/types'
import { Slider, shareOf, valueAt } from './Sliders'

const input = (more: Partial<Input>): Input => ({ name: 'rate', nominal: 1, varied: true, says: '', range: { lower: 0.4, upper: 4 }, ...more })

describe('the place of a value on a slider', () => {
  it('follows the scale of the input', () => {
    const log = input({ log: true })
    expect(shareOf(log, Math.sqrt(0.4 * 4))).toBeCloseTo(0.5)
    expect(valueAt(log, 0.5)).toBe(1.265)
    expect([valueAt(log, 0), valueAt(log, 1)]).toEqual([0.4, 4])
    expect(valueAt(input({}), 0.5)).toBe(2.2)
  })

  it('stands on a step where there are steps', () => {
    const stepped = input({ range: { lower: 0.1, upper: 0.7 }, step: 0.2 })
    expect([0, 0.33, 0.6, 1].map((share) => valueAt(stepped, share))).toEqual([0.1, 0.3, 0.5, 0.7])
  })
})

describe('an input that is turned', () => {
  afterEach(cleanup)

  it('is set by its slider, by its field, and back', () => {
    const turned = vi.fn()
    render(<Slider input={input({ unit: 'kN' })} value={2} nominal={1} onTurn={turned} />)
    fireEvent.change(screen.getByRole('slider', { name: 'rate, kN' }), { target: { value: '400' } })
    const field = screen.getByRole('textbox', { name: 'rate as a number' })
    fireEvent.blur(field, { target: { value: 'much' } })
    fireEvent.blur(field, { target: { value: '3.25' } })
    fireEvent.click(screen.getByRole('button', { name: 'rate back to its nominal value' }))
    expect(turned.mock.calls.map(([value]) => value as unknown)).toEqual([4, 3.25, 1])
  })

  it('is chosen from a list', () => {
    const turned = vi.fn()
    render(<Slider input={input({ range: undefined, choices: { numbers: [8, 10] } })} value={8} nominal={8} onTurn={turned} />)
    fireEvent.change(screen.getByRole('combobox'), { target: { value: '10' } })
    expect(turned).toHaveBeenCalledWith(10)
  })
})
