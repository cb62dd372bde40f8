import type { Bench, Requirement } from '../api/types'
import { MarginBar } from '../parts/MarginBar'
import { RequirementCell } from '../parts/RequirementCell'
import { VerdictMark } from '../parts/VerdictTag'
import { change, show, titled } from '../words'
import { gotWorse, valuesOf, type Compared } from './compared'

type Props = { bench: Bench; designs: Compared[]; onDrop: (key: string) => void }

/** Designs beside each other: margins, values and inputs, and their change from the first. */
export function SideBySide({ bench, designs, onDrop }: Props) {
  const first = designs[0]
  const inputs = bench.inputs.filter((i) => i.varied || designs.some((d) => d.detail && d.detail.inputs[i.name] !== first?.detail?.inputs[i.name]))
  const moved = (d: Compared, of: (detail: NonNullable<Compared['detail']>) => number | string | undefined) => {
    const [from, to] = [first?.detail && of(first.detail), d.detail && of(d.detail)]
    return d === first || from === undefined || to === undefined ? '' : change(from, to)
  }
  return (
    <div className="scroll">
      <table className="plain points">
        <thead>
          <tr>
            <th>requirement</th>
            <th className="left">limit</th>
            {designs.map((d) => (
              <th key={d.key}>
                {d.name}{' '}
                <button className="plain-link" aria-label={`Take ${d.name} away`} title="Take it away" onClick={() => onDrop(d.key)}>
                  ×
                </button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {bench.requirements.map((q) => (
            <tr key={q.id}>
              <RequirementCell requirement={q} />
              <td className="left">{q.limit}</td>
              {designs.map((d) => (
                <td key={d.key}>
                  <Margin requirement={q} design={d} />
                </td>
              ))}
            </tr>
          ))}
          <Heads words="value" designs={designs} />
          {valuesOf(bench.outputs, designs).map((o) => (
            <tr key={o.name}>
              <td title={o.label}>{titled(o.name, o.unit)}</td>
              <td />
              {designs.map((d) => (
                <td key={d.key}>
                  {show(d.detail?.named?.[o.name])} <Moved words={moved(d, (detail) => detail.named?.[o.name])} first={d === first} />
                </td>
              ))}
            </tr>
          ))}
          <Heads words="input" designs={designs} />
          {inputs.map((i) => (
            <tr key={i.name}>
              <td title={i.label}>{titled(i.name, i.unit)}</td>
              <td className="left muted">{i.varied ? '' : 'held'}</td>
              {designs.map((d) => (
                <td key={d.key}>
                  {show(d.detail?.inputs[i.name])} <Moved words={moved(d, (detail) => detail.inputs[i.name])} first={d === first} />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <Worse requirements={bench.requirements} designs={designs} />
    </div>
  )
}

/** How a value moved, in a column of its own. */
function Moved({ words, first }: { words: string; first: boolean }) {
  return first ? null : <span className="muted moved">{words}</span>
}

function Heads({ words, designs }: { words: string; designs: Compared[] }) {
  return (
    <tr>
      <th>{words}</th>
      <td />
      {designs.map((d) => (
        <th key={d.key}>{d.name}</th>
      ))}
    </tr>
  )
}

function Margin({ requirement, design }: { requirement: Requirement; design: Compared }) {
  const judged = design.detail?.requirements[requirement.id]
  return (
    <span className="nowrap">
      {show(judged?.value)} <MarginBar requirement={requirement} judged={judged} width={60} /> <VerdictMark judged={judged} />
    </span>
  )
}

/** What the first design meets and others miss. */
function Worse({ requirements, designs }: { requirements: Requirement[]; designs: Compared[] }) {
  const [first, ...others] = designs
  const says = others.flatMap((d) =>
    first?.detail && d.detail
      ? [
          ...(d.detail.state === 'ok' ? [] : [`${d.name} has no values: ${d.detail.reason ?? d.detail.state}.`]),
          ...gotWorse(requirements, first.detail, d.detail).map((q) => `${d.name} misses ${q.id}${q.decisive ? '' : q.price ? ' (soft)' : ' (a wish)'}, which ${first.name} meets, by ${show(-(d.detail!.requirements[q.id]?.margin ?? 0))} ${q.unit ?? ''}`.trim() + '.'),
        ]
      : [],
  )
  if (says.length === 0) return null
  return (
    <ul className="mt-2 mb-0">
      {says.map((text) => (
        <li key={text} className="attention">
          {text}
        </li>
      ))}
    </ul>
  )
}
