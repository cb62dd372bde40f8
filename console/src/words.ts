import type { Judgment, Requirement, Run } from './api/types'

/** Writes a value for people: a word as it is, a number with four significant digits, thousands parted by commas. */
export function show(value: number | string | null | undefined): string {
  if (typeof value === 'string') return value
  if (value === null || value === undefined || !Number.isFinite(value)) return '–'
  const size = Math.abs(value)
  if (value === 0) return '0'
  if (size >= 1e7 || size < 1e-4) return value.toExponential(3).replace(/\.?0+(?=e)/, '') // zeros of the mantissa alone: those of e-10 count
  if (size >= 1000) return Math.round(value).toLocaleString('en')
  const digits = Math.max(0, 3 - Math.floor(Math.log10(size)))
  const text = value.toFixed(digits)
  return text.includes('.') ? text.replace(/\.?0+$/, '') : text
}

/** Says how a value moved from one design to another. */
export function change(from: number | string, to: number | string): string {
  if (from === to) return 'as it was'
  if (typeof from === 'string' || typeof to === 'string') return ''
  if (from === 0) return ''
  const percent = (100 * (to - from)) / Math.abs(from)
  if (Math.abs(percent) < 0.05) return 'as it was'
  return `${percent > 0 ? '+' : '−'}${show(Math.abs(Number(percent.toPrecision(3))))} %`
}

/** A span of time in words, as short as it can be understood. */
export function span(seconds: number): string {
  if (seconds < 1) return `${show(seconds * 1000)} ms`
  if (seconds < 90) return `${Math.round(seconds)} s`
  if (seconds < 5400) return `${Math.round(seconds / 60)} min`
  return `${(seconds / 3600).toFixed(1)} h`
}

/** Says how large something is. */
export function bytes(count: number): string {
  const units = ['B', 'kB', 'MB', 'GB']
  const rounded = Number(count.toPrecision(3)) // 999,999 B are 1 MB
  const step = Math.min(units.length - 1, Math.floor(Math.log10(Math.max(1, rounded)) / 3))
  return `${show(rounded / 1000 ** step)} ${units[step]}`
}

export const verdictWords: Record<Judgment['verdict'], string> = {
  met: 'met',
  met_without_reserve: 'met without its reserve',
  missed: 'missed',
  not_shown: 'not shown',
}

/** The verdict on a requirement; one that was not judged is not shown. */
export const verdictOf = (judged: Record<string, Judgment>, id: string): Judgment['verdict'] => judged[id]?.verdict ?? 'not_shown'

/** Sums up the verdicts of a design in a sentence. */
export function summary(requirements: Requirement[], judged: Record<string, Judgment>): string {
  if (requirements.length === 0) return 'Evaluated; there is no requirement to meet yet.'
  const decisive = requirements.filter((r) => r.decisive)
  const count = (of: Requirement[], verdict: Judgment['verdict']) => of.filter((r) => verdictOf(judged, r.id) === verdict).length
  const missed = count(decisive, 'missed')
  const unknown = count(decisive, 'not_shown')
  const parts: string[] = []
  if (missed + unknown === 0) parts.push('Every requirement is met')
  if (missed > 0) parts.push(`${missed} of ${decisive.length} requirements ${missed === 1 ? 'is' : 'are'} missed`)
  if (unknown > 0) parts.push(`${unknown} not shown`)
  const bare = count(decisive, 'met_without_reserve')
  if (bare > 0) parts.push(`${bare} without ${bare === 1 ? 'its' : 'their'} reserve`)
  const wished = requirements.filter((r) => !r.decisive && !r.price)
  const wishes = count(wished, 'missed')
  if (wishes > 0) parts.push(`${wishes} ${wishes === 1 ? 'wish is' : 'wishes are'} not met`)
  return `${parts.join(', ')}.`
}

/** Names a run by its study and by what makes it different. */
export function runName(run: Run): string {
  const q = run.question
  if (q.kind === 'try') return 'one evaluation'
  if (q.kind === 'verify') return q.of ? `run ${q.of.run}, evaluation ${q.of.evaluation}` : 'a design'
  const parts = [q.study]
  if (q.seed !== 1) parts.push(`seed ${q.seed}`)
  for (const name of Object.keys(q.hold ?? {})) parts.push(`${name} held`)
  for (const name of Object.keys(q.free ?? {})) parts.push(`${name} free`)
  return parts.join(', ')
}

/** What the service says in a clause, as a sentence. */
export const sentence = (says: string) => `${says[0]!.toUpperCase()}${says.slice(1)}.`

export const atWork = (run: Run) => run.state === 'queued' || run.state === 'running'

/** A name with its unit. */
export const titled = (name: string, unit?: string) => (unit ? `${name}, ${unit}` : name)

/** A share to three digits, and one that is nearly the whole to as many as tell it from that: 86 %, 99.9999 %. */
export function percent(share: number): string {
  const all = 100 * share
  const left = Math.abs(100 - all)
  return `${left > 0 && left < 1 ? String(Number(all.toFixed(Math.min(12, -Math.floor(Math.log10(left)))))) : show(Number(all.toPrecision(3)))} %`
}
