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

/** What a run does with an input: as the study says, held at a value, or moved between two ends. */
export type Setting = { does: 'as it is' | 'hold' | 'move'; at: string; lower: string; upper: string }

export const asItIs: Setting = { does: 'as it is', at: '', lower: '', upper: '' }

/** What is wrong with the setting of an input; undefined where nothing is. */
export function settingMistake(input: Input, s: Setting): string | undefined {
  if (s.does === 'as it is') return undefined
  if (s.does === 'hold') return s.at.trim() === '' ? 'a value' : heldMistake(input, s.at)
  if (input.choices) return undefined
  const texts = [s.lower, s.upper].filter((text) => text.trim() !== '')
  if (texts.length === 0 && input.range) return undefined
  const [lower, upper] = [endOf(s.lower, input.range?.lower), endOf(s.upper, input.range?.upper)]
  if (texts.some((text) => readNumber(text) === undefined)) return texts.some((text) => text.includes(',')) ? 'a decimal point is written .' : 'no number'
  if (lower === undefined || upper === undefined) return 'both ends'
  if (lower >= upper) return 'the lower end comes first'
  return input.log && lower <= 0 ? 'a logarithmic scale begins above 0' : undefined
}

const endOf = (text: string, own?: number) => (text.trim() === '' ? own : readNumber(text))

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

type Asked = { seed: string; evaluations: string; settings: Record<string, Setting> }

/** The order of a run, of settings without mistakes. */
export function orderOf(bench: Bench, study: string, { seed, evaluations, settings }: Asked): Order {
  const hold: NonNullable<Order['hold']> = {}
  const free: NonNullable<Order['free']> = {}
  for (const input of bench.inputs) {
    const s = settings[input.name] ?? asItIs
    if (s.does === 'hold') hold[input.name] = input.choices?.words ? s.at : readNumber(s.at)!
    if (s.does === 'move') {
      const own = input.choices !== undefined || (s.lower.trim() === '' && s.upper.trim() === '')
      free[input.name] = own ? null : { lower: endOf(s.lower, input.range?.lower)!, upper: endOf(s.upper, input.range?.upper)! }
    }
  }
  return {
    study, hold, ...(Object.keys(free).length > 0 ? { free } : {}),
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
  const freed = Object.keys(order.free ?? {})
  const moving = bench.inputs.map((i) => i.name).filter((name) => !held.includes(name) && (study.moves.includes(name) || freed.includes(name)))
  const parts = [`${study.name}: ${study.says}`]
  const most = order.evaluations ?? study.evaluations
  if (most !== undefined) parts.push(`at most ${most.toLocaleString('en')} ${most === 1 ? 'evaluation' : 'evaluations'}${pace === undefined ? '' : `, about ${span(pace * most)}`}`)
  if (order.seed !== undefined) parts.push(`seed ${order.seed}`)
  if (held.length > 0) parts.push(`${held.map((name) => `${name} at ${show(order.hold![name])}`).join(', ')} held`)
  for (const [name, range] of Object.entries(order.free ?? {})) if (range) parts.push(`${name} from ${show(range.lower)} to ${show(range.upper)}`)
  parts.push(moving.length > 0 ? `${moving.join(', ')} ${moving.length === 1 ? 'moves' : 'move'}` : 'nothing moves')
  return `${parts.join('; ')}.`
}
