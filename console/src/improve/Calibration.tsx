import { useMemo } from 'react'
import type { Result } from '../api/types'
import { Lines, type Line } from '../parts/Lines'
import { Panel } from '../parts/Panel'
import { show } from '../words'

type Fit = NonNullable<Result['fit']>
type Match = Fit['matches'][number]

/** How well the inputs are known, and every measurement with the model before and after. */
export function Calibration({ fit }: { fit: Fit }) {
  return (
    <>
      <Panel title="What the measurements say" aside={`weighted sum of squares ${show(fit.residual)}, ${fit.freedom} degrees of freedom`} style={{ gridColumn: '2 / 4' }}>
        <ul className="mb-0">
          {fit.says.map((says) => (
            <li key={says}>{says}.</li>
          ))}
        </ul>
      </Panel>
      {fit.matches
        .filter((match) => match.x && match.x.length > 1)
        .map((match, i) => (
          <Overlay key={i} match={match} />
        ))}
    </>
  )
}

const conditions = (match: Match) => Object.entries(match.with ?? {}).map(([name, value]) => `${name} = ${show(value)}`)

/** A measured curve with that of the model, and what is between them. */
function Overlay({ match }: { match: Match }) {
  const { lines, residuals } = useMemo(() => {
    const x = match.x!
    const all: Line[] = []
    if (match.before) all.push({ name: 'before', x, y: match.before, colour: 'slate', width: 1.3, nameAt: { i: Math.floor(x.length / 4), above: false } })
    all.push({ name: 'measured', x, y: match.measured, colour: 'ink', width: 2, dots: true })
    all.push({ name: 'after', x, y: match.after, colour: 'teal', width: 1.4, nameAt: { i: Math.floor((3 * x.length) / 4), above: true } })
    return { lines: all, residuals: [{ name: 'model less measurement', x, y: match.after.map((y, k) => y - match.measured[k]!), colour: 'plum', width: 1.6 }] satisfies Line[] }
  }, [match])
  const span: [number, number] = [match.x![0]!, match.x!.at(-1)!]
  const title = [`${match.of} and ${match.file ?? 'its measurement'}`, ...conditions(match)].join(', ')
  return (
    <Panel title={title} aside={`off by ${show(match.rms)} in the root mean square`} style={{ gridColumn: '2 / 4' }}>
      <Lines lines={lines} limits={[]} units={{}} height={260} label={title} axes={{ x: { title: 'x of the measurement', range: span }, y: { title: match.of, range: around(lines) } }} />
      <Lines lines={residuals} limits={[]} units={{}} height={130} label={`residuals of ${title}`} axes={{ x: { title: 'x of the measurement', range: span }, y: { title: 'residual', range: around(residuals) } }} />
    </Panel>
  )
}

/** The range of some lines, with room. */
function around(lines: Line[]): [number, number] {
  const all = lines.flatMap((line) => line.y)
  const [low, high] = [Math.min(...all), Math.max(...all)]
  const pad = (high - low || Math.abs(high) || 1) * 0.08
  return [low - pad, high + pad]
}
