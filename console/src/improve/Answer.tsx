import type { Result } from '../api/types'
import { show } from '../words'
import { MarkedTable } from '../parts/MarkedTable'
import { Panel } from '../parts/Panel'

type Optimum = NonNullable<Result['optimum']>

/** How good the best design is, what holds it, and what each of that costs. */
export function Answer({ optimum, watched }: { optimum: Optimum; watched: string[] }) {
  const guesses = (optimum.holds ?? []).filter((hold) => hold.guess).map((hold) => hold.says)
  return (
    <Panel title="What the answer says" style={{ gridColumn: '2 / 4' }}>
      <ul className="mb-0">
        {[...optimum.says, ...watched].map((says) => (
          <li key={says} className={guesses.some((guess) => says.toLowerCase().startsWith(guess.toLowerCase())) ? 'attention' : undefined}>
            {says}
          </li>
        ))}
      </ul>
      {optimum.places && optimum.places.length > 0 && <Places places={optimum.places} />}
    </Panel>
  )
}

const kindOf = (good: boolean) => (good ? 'feasible' : 'infeasible')

/** An objective, with what is paid beside it for soft requirements. */
const withPaid = ({ objective, paid }: { objective?: number; paid?: number }) => show(objective) + (paid ? ` (${show(paid)} paid)` : '')

/** Other places at which searches ended. */
function Places({ places }: { places: NonNullable<Optimum['places']> }) {
  const names = Object.keys(places[0]!.inputs).filter((name) => places.length === 1 || places.some((p) => p.inputs[name] !== places[0]!.inputs[name]))
  return (
    <div className="scroll mt-3">
      <MarkedTable
        heads={['other place, evaluation', 'objective', ...names]}
        rows={places.map((p) => ({ key: p.evaluation, kind: kindOf(p.feasible), cells: [show(p.evaluation), withPaid(p), ...names.map((name) => show(p.inputs[name]))] }))}
      />
    </div>
  )
}

/** How far apart searches with other seeds ended. */
export function Spread({ spread }: { spread: NonNullable<Result['spread']> }) {
  return (
    <Panel title="Other seeds" aside={spread.says} style={{ gridColumn: '2 / 4' }}>
      <MarkedTable
        heads={['seed', 'objective', 'best evaluation']} words="how it ended"
        rows={spread.ends.map((end) => ({ key: end.seed, kind: kindOf(end.feasible), cells: [String(end.seed), withPaid(end), show(end.evaluation)], why: end.says }))}
      />
    </Panel>
  )
}

/** Targets with what they came to. */
export function Reached({ reached }: { reached: NonNullable<Result['reached']> }) {
  return (
    <Panel title="Targets" style={{ gridColumn: '2 / 4' }}>
      <MarkedTable
        heads={['target', 'wanted', 'came to', 'off by']}
        rows={reached.map((t) => ({ key: t.of, kind: kindOf(t.reached), cells: [t.of, show(t.to), show(t.value), show(t.value - t.to)] }))}
      />
    </Panel>
  )
}

/** What a stand-in has predicted, beside what the solver computed. */
export function Checks({ checks }: { checks: NonNullable<Result['checks']> }) {
  const names = Object.keys(checks[0]!.predicted).sort()
  const words = (c: (typeof checks)[number]) => (c.agrees ? 'they agree' : Object.keys(c.computed).length === 0 ? 'the solver failed' : 'they differ')
  return (
    <Panel title="The stand-in and the solver" aside="predicted, and computed below it" style={{ gridColumn: '2 / 4' }}>
      <div className="scroll">
        <MarkedTable
          heads={['evaluation', ...names]} words="what came of it"
          rows={checks.flatMap((c) => [
            { key: `${c.evaluation} predicted`, cells: [show(c.evaluation), ...names.map((name) => show(c.predicted[name]))], why: '' },
            { key: c.evaluation, kind: kindOf(c.agrees), cells: ['computed', ...names.map((name) => show(c.computed[name]))], why: words(c) },
          ])}
        />
      </div>
    </Panel>
  )
}
