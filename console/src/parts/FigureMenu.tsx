import { useState } from 'react'
import { figurePath, useNumbers } from '../api/explore'
import { Trouble } from './Trouble'

/** What a figure can be saved as, and its numbers as a table. */
export function FigureMenu({ run, query }: { run: number; query: Record<string, string> }) {
  const [shown, setShown] = useState(false)
  const name = `run-${run}-${query.kind}${query.of ? `-${query.of.replaceAll(/[^\w]+/g, '-')}` : ''}`
  return (
    <>
      <span className="figure-menu">
        <button className="plain-link" aria-expanded={shown} onClick={() => setShown(!shown)}>
          numbers
        </button>
        {['svg', 'png', 'csv'].map((format) => (
          <a key={format} href={figurePath(run, { ...query, format })} download={`${name}.${format}`}>
            {format.toUpperCase()}
          </a>
        ))}
      </span>
      {shown && <Numbers path={figurePath(run, { ...query, format: 'csv' })} />}
    </>
  )
}

const shownRows = 200

function Numbers({ path }: { path: string }) {
  const numbers = useNumbers(path)
  if (numbers.error) return <Trouble error={numbers.error} />
  if (!numbers.data) return <p className="muted">…</p>
  const [header, ...rows] = numbers.data
  return (
    <div className="scroll numbers">
      <table className="plain">
        <thead>
          <tr>
            {header!.map((cell) => (
              <th key={cell}>{cell}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.slice(0, shownRows).map((row, i) => (
            <tr key={i}>
              {row.map((cell, k) => (
                <td key={k}>{short(cell)}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {rows.length > shownRows && <p className="muted mb-0">The first {shownRows} of {rows.length.toLocaleString('en')} rows; all of them by CSV.</p>}
    </div>
  )
}

/** A cell with no more than six digits: the file has all of them. */
const short = (cell: string) => (cell !== '' && Number.isFinite(Number(cell)) ? String(Number(Number(cell).toPrecision(6))) : cell)
