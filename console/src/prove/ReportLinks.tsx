import { reportOf, type Reported } from '../api/reports'

const forPrograms: [as: string, name: string][] = [
  ['markdown', 'Markdown'],
  ['junit', 'JUnit'],
  ['xlsx', 'XLSX'],
  ['csv', 'CSV'],
  ['json', 'JSON'],
]

/** Opens the report about a design, and offers its verdicts for other programs. */
export function ReportLinks({ bench, about }: { bench: string; about: Reported }) {
  return (
    <div className="d-flex flex-wrap gap-2 align-items-center">
      <a className="btn btn-outline btn-sm" href={reportOf(bench, about)} target="_blank" rel="noreferrer">
        Report
      </a>
      <span className="muted">
        as a file:{' '}
        {forPrograms.map(([as, name]) => (
          <a key={as} className="me-2" href={reportOf(bench, about, as)} download>
            {name}
          </a>
        ))}
      </span>
    </div>
  )
}
