import type { Result } from '../api/types'
import { show } from '../words'
import { Mark } from '../parts/EvaluationsTable'
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

/** Other places at which searches ended. */
function Places({ places }: { places: NonNullable<Optimum['places']> }) {
  const names = Object.keys(places[0]!.inputs).filter((name) => places.length === 1 || places.some((p) => p.inputs[name] !== places[0]!.inputs[name]))
  return (
    <div className="scroll mt-3">
      <table className="plain points">
        <thead>
          <tr>
            <th>
              <span className="visually-hidden">mark</span>
            </th>
            <th>other place, evaluation</th>
            <th>objective</th>
            {names.map((name) => (
              <th key={name}>{name}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {places.map((place) => (
            <tr key={place.evaluation}>
              <td>
                <Mark kind={place.feasible ? 'feasible' : 'infeasible'} best={false} />
              </td>
              <td>{place.evaluation}</td>
              <td>{show(place.objective)}</td>
              {names.map((name) => (
                <td key={name}>{show(place.inputs[name])}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  )
}

/** How far apart searches with other seeds ended. */
export function Spread({ spread }: { spread: NonNullable<Result['spread']> }) {
  return (
    <Panel title="Other seeds" aside={spread.says} style={{ gridColumn: '2 / 4' }}>
      <table className="plain points">
        <thead>
          <tr>
            <th>
              <span className="visually-hidden">mark</span>
            </th>
            <th>seed</th>
            <th>objective</th>
            <th>best evaluation</th>
            <th className="left">how it ended</th>
          </tr>
        </thead>
        <tbody>
          {spread.ends.map((end) => (
            <tr key={end.seed}>
              <td>
                <Mark kind={end.feasible ? 'feasible' : 'infeasible'} best={false} />
              </td>
              <td>{end.seed}</td>
              <td>{show(end.objective)}</td>
              <td>{end.evaluation}</td>
              <td className="why">{end.says}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Panel>
  )
}

/** Targets with what they came to. */
export function Reached({ reached }: { reached: NonNullable<Result['reached']> }) {
  return (
    <Panel title="Targets" style={{ gridColumn: '2 / 4' }}>
      <table className="plain points">
        <thead>
          <tr>
            <th>
              <span className="visually-hidden">mark</span>
            </th>
            <th>target</th>
            <th>wanted</th>
            <th>came to</th>
            <th>off by</th>
          </tr>
        </thead>
        <tbody>
          {reached.map((target) => (
            <tr key={target.of}>
              <td>
                <Mark kind={target.reached ? 'feasible' : 'infeasible'} best={false} />
              </td>
              <td>{target.of}</td>
              <td>{show(target.to)}</td>
              <td>{show(target.value)}</td>
              <td>{show(target.value - target.to)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Panel>
  )
}
