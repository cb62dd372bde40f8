import { Form } from 'react-bootstrap'
import { show, titled } from '../words'
import type { Tradeoff } from './front'

/** What somebody would accept of each objective, and how much it is worth to them. */
export type Wishes = { limits: (number | undefined)[]; weights: number[] }

const steps = 200
const mostWeight = 10

type Props = { tradeoff: Tradeoff; ranges: [number, number][]; wishes: Wishes; onChange: (wishes: Wishes) => void; unitOf: (name: string) => string | undefined }

/** Sliders of limits and of weights, a row for each objective. */
export function Weighing({ tradeoff, ranges, wishes, onChange, unitOf }: Props) {
  const put = (key: keyof Wishes, k: number, value: number | undefined) => onChange({ ...wishes, [key]: wishes[key].map((v, i) => (i === k ? value : v)) })
  return (
    <table className="plain weighing mt-2">
      <thead>
        <tr>
          <th className="left">value</th>
          <th className="left">would be accepted</th>
          <th className="left">its weight</th>
        </tr>
      </thead>
      <tbody>
        {tradeoff.objectives.map((name, k) => {
          const [low, high] = ranges[k]!
          const most = tradeoff.most[k]!
          const limit = wishes.limits[k] ?? (most ? low : high)
          const unit = unitOf(name)
          return (
            <tr key={name}>
              <td className="left">{titled(name, unit)}</td>
              <td className="left">
                <Form.Range
                  aria-label={`${name} that would be accepted`} min={0} max={steps} value={Math.round(((limit - low) / (high - low || 1)) * steps)}
                  onChange={(e) => put('limits', k, limitAt(Number(e.target.value), low, high, most))}
                />
                <span className="muted">{wishes.limits[k] === undefined ? 'any' : `${most ? 'at least' : 'at most'} ${show(Number(limit.toPrecision(4)))}`}</span>
              </td>
              <td className="left">
                <Form.Range aria-label={`weight of ${name}`} min={0} max={mostWeight} value={wishes.weights[k]} onChange={(e) => put('weights', k, Number(e.target.value))} />
                <span className="muted">{wishes.weights[k]}</span>
              </td>
            </tr>
          )
        })}
      </tbody>
    </table>
  )
}

/** The limit where a slider stands: none at the end that lets all designs through. */
function limitAt(step: number, low: number, high: number, most: boolean): number | undefined {
  if (step === (most ? 0 : steps)) return undefined
  return low + ((high - low) * step) / steps
}
