import { describe, expect, it } from 'vitest'
import type { Judgment, Requirement, Run } from './api/types'
import { bytes, change, runName, show, span, summary, titled } from './words'

describe('show', () => {
  it.each([
    [0, '0'], [1.5, '1.5'], [2.28456, '2.285'], [12345.6, '12,346'], [-4321, '-4,321'], [0.00123456, '0.001235'],
    [1e-7, '1e-7'], [123456789, '1.235e+8'], [100, '100'], [7.765e-10, '7.765e-10'], [1.234e10, '1.234e+10'], [-5e-20, '-5e-20'], [1e100, '1e+100'], [1.5e20, '1.5e+20'], [0.00001234, '1.234e-5'],
    [NaN, '–'], [undefined, '–'], [null, '–'],
  ])('writes %s as %s', (value, text) => expect(show(value)).toBe(text))
})

describe('change', () => {
  it('says how far a value moved', () => {
    expect(change(10, 11.8)).toBe('+18 %')
    expect(change(10, 9)).toBe('−10 %')
    expect(change(-10, -5)).toBe('+50 %')
    expect(change(3, 3)).toBe('as it was')
    expect(change(0, 3)).toBe('')
  })
})

describe('span', () => {
  it('takes the unit that is read best', () => {
    expect([0.0165, 40, 300, 7200].map(span)).toEqual(['16.5 ms', '40 s', '5 min', '2.0 h'])
  })
})

const requirement = (id: string, decisive = true): Requirement => ({ id, says: '', of: id, limit: '', kind: 'at_most', limits: [1], decisive })
const judged = (verdicts: Record<string, Judgment['verdict']>) => Object.fromEntries(Object.entries(verdicts).map(([id, verdict]) => [id, { verdict }]))

describe('how large', () => {
  it.each([
    [0, '0 B'], [999, '999 B'], [1000, '1 kB'], [1234, '1.23 kB'], [999_999, '1 MB'], [5_600_000, '5.6 MB'], [2e12, '2,000 GB'],
  ])('%d is %s', (count, text) => expect(bytes(count)).toBe(text))
  it('has its unit behind it', () => {
    expect([titled('mass', 'kg'), titled('bend')]).toEqual(['mass, kg', 'bend'])
  })
})

describe('summary', () => {
  const all = [requirement('A'), requirement('B'), requirement('W', false)]
  it('begins with what decides', () => {
    expect(summary(all, judged({ A: 'met', B: 'met', W: 'met' }))).toBe('Every requirement is met.')
    expect(summary(all, judged({ A: 'met', B: 'missed', W: 'missed' }))).toBe('1 of 2 requirements is missed, 1 wish is not met.')
    expect(summary(all, judged({ A: 'met_without_reserve', B: 'met', W: 'met' }))).toBe('Every requirement is met, 1 without its reserve.')
    expect(summary([], {})).toBe('Evaluated; there is no requirement to meet yet.')
    expect(summary(all, judged({ A: 'not_shown', B: 'not_shown', W: 'met' }))).toBe('2 not shown.')
  })
})

describe('runName', () => {
  const run = (question: Partial<Run['question']>) => ({ question: { kind: 'optimize', study: 'best', seed: 1, ...question } }) as Run
  it('says what makes a run different', () => {
    expect(runName(run({}))).toBe('best')
    expect(runName(run({ seed: 2, hold: { springs: 3 } }))).toBe('best, seed 2, springs held')
    expect(runName(run({ free: { load: null } }))).toBe('best, load free')
    expect(runName(run({ kind: 'verify', of: { run: 3, evaluation: 97 } }))).toBe('run 3, evaluation 97')
  })
})
