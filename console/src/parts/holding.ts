import type { Bench, Input, Order, Run, Study } from '../api/types'
import { show, span } from '../words'

const number = /^[-+]?(\d+\.?\d*|\.\d+)([eE][-+]?\d+)?$/

const most = { evaluations: 100_000_000, seed: Number.MAX_SAFE_INTEGER }

/** Reads a number as the bench file has it; undefined for what is none. */
export const readNumber = (text: string): number | undefined => (number.test(text.trim()) ? Number(text) : undefined)

const stepTolerance = 1e-6 // in steps, as the service has it

/** What is wrong with a value at which an input is to be held; undefined where nothing is. */
export function heldMistake(input: Input, text: string): string | undefined {
  if (text.trim() === '' || input.choices?.words) return undefined
  const value = readNumber(text)
  if (value === undefined) return text.includes(',') ? 'a decimal point is written .' : 'no number'
  if (input.choices?.numbers && !input.choices.numbers.includes(value)) return `one of ${input.choices.numbers.map(show).join(', ')}`
  if (!input.range) return undefined
  const { lower, upper } = input.range
  if (value < lower || value > upper) return `outside of ${input.says}`
  if (!input.step) return undefined
  const steps = (value - lower) / input.step
  return Math.abs(steps - Math.round(steps)) > stepTolerance ? `on no step of ${show(input.step)} from ${show(lower)}` : undefined
}

/** What is wrong with a whole number; undefined where nothing is, or nothing is said. */
export function wholeMistake(text: string, kind: 'evaluations' | 'seed'): string | undefined {
  if (text.trim() === '') return undefined
  const value = readNumber(text)
  const least = kind === 'seed' ? 0 : 1
  if (value === undefined || !Number.isInteger(value)) return 'a whole number'
  if (value < least) return `at least ${least}`
  if (value > most[kind]) return kind === 'seed' ? 'larger seeds are for the terminal' : `at most ${show(most.evaluations)}`
  return undefined
}

type Asked = { seed: string; evaluations: string; held: Record<string, string> }

/** The order of a run, of texts without mistakes. */
export function orderOf(bench: Bench, study: string, { seed, evaluations, held }: Asked): Order {
  const hold = Object.entries(held).flatMap(([name, text]) => {
    const input = bench.inputs.find((i) => i.name === name)
    return text.trim() === '' || !input ? [] : [[name, input.choices?.words ? text : readNumber(text)!] as const]
  })
  return {
    study, hold: Object.fromEntries(hold),
    ...(seed.trim() === '' ? {} : { seed: readNumber(seed)! }), ...(evaluations.trim() === '' ? {} : { evaluations: readNumber(evaluations)! }),
  }
}

/** Seconds that an evaluation has taken lately, of those that were asked of the solver; undefined where none was. */
export function paceOf(runs: Run[]): number | undefined {
  const latest = runs.find((run) => run.evaluations - run.reused - run.not_tried > 0 && run.elapsed > 0)
  return latest && latest.elapsed / (latest.evaluations - latest.reused - latest.not_tried)
}

/** What would start, in words, and how long it would take at a pace in seconds for an evaluation. */
export function startWords(study: Study, bench: Bench, order: Order, pace?: number): string {
  const held = Object.keys(order.hold ?? {})
  const moving = bench.inputs.filter((i) => i.varied && !held.includes(i.name)).map((i) => i.name)
  const parts = [`${study.name}: ${study.says}`]
  const most = order.evaluations ?? study.evaluations
  if (most !== undefined) parts.push(`at most ${most.toLocaleString('en')} ${most === 1 ? 'evaluation' : 'evaluations'}${pace === undefined ? '' : `, about ${span(pace * most)}`}`)
  if (order.seed !== undefined) parts.push(`seed ${order.seed}`)
  if (held.length > 0) parts.push(`${held.map((name) => `${name} at ${show(order.hold![name])}`).join(', ')} held`)
  parts.push(moving.length > 0 ? `${moving.join(', ')} ${moving.length === 1 ? 'moves' : 'move'}` : 'nothing moves')
  return `${parts.join('; ')}.`
}
