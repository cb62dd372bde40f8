import { describe, expect, it } from 'vitest'
import type { Bench, Input, Study } from '../api/types'
import { asItIs, heldMistake, orderOf, settingMistake, startWords, wholeMistake, type Setting } from './holding'

const springs = { name: 'springs', varied: true, nominal: 3, says: '1 to 6, in steps of 1', range: { lower: 1, upper: 6 }, step: 1 } as Input
const rate = { name: 'rate', varied: true, nominal: 1, says: '0.4 to 4 kN/m', range: { lower: 0.4, upper: 4 } } as Input
const plate = { name: 'plate', varied: true, nominal: 8, says: '5, 6, 8', choices: { numbers: [5, 6, 8] } } as Input
const pad = { name: 'pad', varied: true, nominal: 'soft', says: 'soft, hard', choices: { words: ['soft', 'hard'] } } as Input
const load = { name: 'load', varied: false, nominal: 18, says: 'held' } as Input
const bench = { inputs: [springs, rate, plate, pad, load] } as Bench
const best = { name: 'best', kind: 'optimize', says: 'the least cost', searches: true, moves: ['springs', 'rate', 'plate', 'pad'] } as Study

const hold = (at: string): Setting => ({ ...asItIs, does: 'hold', at })
const move = (lower: string, upper: string): Setting => ({ ...asItIs, does: 'move', lower, upper })

describe('what moves', () => {
  it.each([
    [rate, asItIs, undefined], [rate, hold(''), 'a value'], [rate, hold('5'), 'outside of 0.4 to 4 kN/m'], [rate, move('', ''), undefined], [rate, move('1', ''), undefined], [rate, move('5', ''), 'the lower end comes first'],
    [load, move('', ''), 'both ends'], [load, move('10', ''), 'both ends'], [load, move('10', '20'), undefined], [load, move('1,5', '20'), 'a decimal point is written .'], [load, move('x', '20'), 'no number'],
    [pad, move('', ''), undefined], [{ ...load, log: true }, move('0', '20'), 'a logarithmic scale begins above 0'],
  ])('%o as %o: %s', (input, setting, mistake) => {
    expect(settingMistake(input, setting)).toBe(mistake)
  })

  it('is ordered, and said', () => {
    const held = { ...best, moves: ['springs'] }
    const order = orderOf(bench, 'best', { seed: '', evaluations: '', settings: { load: move('10', '20'), rate: move('', '3'), pad: move('', ''), springs: hold('4') } })
    expect(order).toEqual({ study: 'best', hold: { springs: 4 }, free: { load: { lower: 10, upper: 20 }, rate: { lower: 0.4, upper: 3 }, pad: null } })
    expect(startWords(held, bench, order)).toBe('best: the least cost; springs at 4 held; rate from 0.4 to 3; load from 10 to 20; rate, pad, load move.')
  })
})

describe('what is held', () => {
  it.each([
    [rate, '1.5', undefined], [rate, '1,5', 'a decimal point is written .'], [rate, 'abc', 'no number'], [rate, '1e', 'no number'], [rate, '1e0', undefined], [rate, ' 2 ', undefined],
    [rate, '5', 'outside of 0.4 to 4 kN/m'], [springs, '2.5', 'on no step of 1 from 1'], [springs, '4', undefined], [plate, '7', 'one of 5, 6, 8'], [plate, '6', undefined], [pad, 'hard', undefined],
    [rate, '', undefined],
  ])('%o at %s: %s', (input, text, mistake) => {
    expect(heldMistake(input, text)).toBe(mistake)
  })

  it('knows what seeds and budgets can be', () => {
    expect(wholeMistake('', 'seed')).toBeUndefined()
    expect(wholeMistake('9007199254740993', 'seed')).toBe('larger seeds are for the terminal')
    expect(wholeMistake('1.5', 'seed')).toBe('a whole number')
    expect(wholeMistake('1e12', 'evaluations')).toBe('at most 1e+8')
    expect(wholeMistake('0', 'evaluations')).toBe('at least 1')
    expect(wholeMistake('400', 'evaluations')).toBeUndefined()
  })

  it('says what would start, and orders that', () => {
    const hard = hold('hard')
    const order = orderOf(bench, 'best', { seed: '2', evaluations: '400', settings: { springs: hold('4'), pad: hard } })
    expect(order).toEqual({ study: 'best', hold: { springs: 4, pad: 'hard' }, seed: 2, evaluations: 400 })
    expect(startWords(best, bench, order)).toBe('best: the least cost; at most 400 evaluations; seed 2; springs at 4, pad at hard held; rate, plate move.')
    expect(startWords({ ...best, evaluations: 300 }, bench, { study: 'best', hold: {} }, 2)).toBe('best: the least cost; at most 300 evaluations, about 10 min; springs, rate, plate, pad move.')
    expect(startWords(best, bench, { study: 'best', hold: {} })).toBe('best: the least cost; springs, rate, plate, pad move.')
  })
})
