import type { Told } from '../api/types'
import { show } from '../words'
import { Value } from './Value'
import { VerdictTag } from './VerdictTag'

/** Numbers under scatter, with those of the design that ignores it where they are known. */
export function ToldTable({ told }: { told: Told[] }) {
  const beside = told.some((t) => t.alone !== undefined)
  return (
    <div className="scroll">
      <table className="plain">
        <thead>
          <tr>
            <th>with scatter</th>
            <th className="left">limit</th>
            <th>value</th>
            {beside && <th>ignoring it</th>}
            <th className="left">verdict</th>
          </tr>
        </thead>
        <tbody>
          {told.map((t) => (
            <tr key={`${t.requirement} ${t.of}`}>
              <td className="wrap">
                {t.requirement} {t.of}
              </td>
              <td className="left">{t.limit}</td>
              <td>
                <span title={t.from !== undefined && t.to !== undefined ? `between ${show(t.from)} and ${show(t.to)}` : undefined}>
                  <Value value={t.value} unit={t.unit} />
                </span>
              </td>
              {beside && <td className="muted">{show(t.alone)}</td>}
              <td className="left">{t.requirement && <VerdictTag judged={{ verdict: t.holds === undefined ? 'not_shown' : t.holds ? 'met' : 'missed' }} />}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  )
}
