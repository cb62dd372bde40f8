import { archiveOf, useRevisions } from '../api/files'
import { Panel } from '../parts/Panel'
import { Trouble } from '../parts/Trouble'
import { usePlace } from '../places/place'

/** The revisions of the bench, what each changed, and its files to be taken out. */
export function Revisions() {
  const { bench, runs } = usePlace()
  const revisions = useRevisions(bench.name, bench.revision)
  const runsOf = (number: number) => runs.filter((r) => r.revision === number).length
  return (
    <main>
      <Panel first title="Revisions" aside="the content of the bench at a moment, never changed afterwards">
        {revisions.error && <Trouble error={revisions.error} />}
        <table className="plain">
          <thead>
            <tr>
              <th>revision</th>
              <th className="left">made</th>
              <th className="left">what changed</th>
              <th>runs</th>
              <th className="left">files</th>
            </tr>
          </thead>
          <tbody>
            {revisions.data?.map((r) => (
              <tr key={r.number}>
                <td>{r.number}</td>
                <td className="left muted">{new Date(r.created).toLocaleString('en', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit', hour12: false })}</td>
                <td className="left wrap">
                  {r.number === 1 && <span className="muted">the first</span>}
                  {r.changes.map((change) => (
                    <div key={change}>{change}</div>
                  ))}
                </td>
                <td>{runsOf(r.number) || ''}</td>
                <td className="left">
                  <a href={archiveOf(bench.name, r.number)} download>
                    zip
                  </a>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        <p className="muted mt-2 mb-0">
          On the terminal:{' '}
          {bench.revision > 1 && (
            <>
              <code>
                ropebench diff {bench.name} {bench.revision - 1} {bench.revision}
              </code>{' '}
              says what changed between two,{' '}
            </>
          )}
          <code>ropebench export {bench.name} FOLDER</code> takes the files out.
        </p>
      </Panel>
    </main>
  )
}
