import { describe, expect, it } from 'vitest'
import type { Bench, Input, Study } from '../api/types'
import { heldMistake, orderOf, startWords, wholeMistake } from './holding'

const springs = { name: 'springs', varied: true, nominal: 3, says: '1 to 6, in steps of 1', range: { lower: 1, upper: 6 }, step: 1 } as Input
const rate = { name: 'rate', varied: true, nominal: 1, says: '0.4 to 4 kN/m', range: { lower: 0.4, upper: 4 } } as Input
const plate = { name: 'plate', varied: true, nominal: 8, says: '5, 6, 8', choices: { numbers: [5, 6, 8] } } as Input
const pad = { name: 'pad', varied: true, nominal: 'soft', says: 'soft, hard', choices: { words: ['soft', 'hard'] } } as Input
const bench = { inputs: [springs, rate, plate, pad] } as Bench
const best = { name: 'best', kind: 'optimize', says: 'the least cost', searches: true } as Study

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
    const order = orderOf(bench, 'best', { seed: '2', evaluations: '400', held: { springs: '4', pad: 'hard', rate: '' } })
    expect(order).toEqual({ study: 'best', hold: { springs: 4, pad: 'hard' }, seed: 2, evaluations: 400 })
    expect(startWords(best, bench, order)).toBe('best: the least cost; at most 400 evaluations; seed 2; springs at 4, pad at hard held; rate, plate move.')
    expect(startWords({ ...best, evaluations: 300 }, bench, { study: 'best', hold: {} }, 2)).toBe('best: the least cost; at most 300 evaluations, about 10 min; springs, rate, plate, pad move.')
    expect(startWords(best, bench, { study: 'best', hold: {} })).toBe('best: the least cost; springs, rate, plate, pad move.')
  })
})
