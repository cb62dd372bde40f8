import { Fragment } from 'react'
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
    <div className="sliders weighing mt-2">
      {['', 'would be accepted', '', 'its weight', ''].map((head, i) => (
        <span key={i} className="muted">
          {head}
        </span>
      ))}
      {tradeoff.objectives.map((name, k) => {
        const [low, high] = ranges[k]!
        const most = tradeoff.most[k]!
        const limit = wishes.limits[k] ?? (most ? low : high)
        return (
          <Fragment key={name}>
            <span>{titled(name, unitOf(name))}</span>
            <input
              type="range" aria-label={`${name} that would be accepted`} min={0} max={steps} value={Math.round(((limit - low) / (high - low || 1)) * steps)}
              onChange={(e) => put('limits', k, limitAt(Number(e.target.value), low, high, most))}
            />
            <span className="muted">{wishes.limits[k] === undefined ? 'any' : `${most ? 'at least' : 'at most'} ${show(Number(limit.toPrecision(4)))}`}</span>
            <input type="range" aria-label={`weight of ${name}`} min={0} max={mostWeight} value={wishes.weights[k]} onChange={(e) => put('weights', k, Number(e.target.value))} />
            <span className="muted">{wishes.weights[k]}</span>
          </Fragment>
        )
      })}
    </div>
  )
}

/** The limit where a slider stands: none at the end that lets all designs through. */
function limitAt(step: number, low: number, high: number, most: boolean): number | undefined {
  if (step === (most ? 0 : steps)) return undefined
  return low + ((high - low) * step) / steps
}
