import type { MarkKind } from '../api/table'
import { Mark } from './EvaluationsTable'

export type MarkedRow = { key: string | number; kind?: MarkKind; cells: string[]; why?: string; onClick?: () => void }

/** A table whose rows begin with a mark, and may end with words. */
export function MarkedTable({ heads, rows, words }: { heads: string[]; rows: MarkedRow[]; words?: string }) {
  return (
    <table className="plain points">
      <thead>
        <tr>
          <th>
            <span className="visually-hidden">mark</span>
          </th>
          {heads.map((head) => (
            <th key={head}>{head}</th>
          ))}
          {words && <th className="left">{words}</th>}
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={row.key} className={row.onClick && 'link'} onClick={row.onClick}>
            <td>{row.kind && <Mark kind={row.kind} />}</td>
            {row.cells.map((cell, i) => (
              <td key={i}>{cell}</td>
            ))}
            {words && <td className="left wrap">{row.why}</td>}
          </tr>
        ))}
      </tbody>
    </table>
  )
}
