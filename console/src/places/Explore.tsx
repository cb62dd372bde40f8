import { Panel } from '../parts/Panel'
import { runName } from '../words'
import { usePlace } from './place'

/** Explore: what will be here, and how to do it from the terminal until then. */
export function Explore() {
  const { bench, runs } = usePlace()
  const samples = runs.filter((r) => r.question.kind === 'sample')
  const study = bench.studies.find((s) => s.kind === 'sample')
  return (
    <main style={{ gridTemplateColumns: 'minmax(0, 1fr) minmax(0, 1fr)' }}>
      <Panel first title="Explore">
        <p className="empty">
          Here samples of the design space, the inputs that matter, and fitted surfaces will be drawn. Until then the terminal takes samples and
          shows their evaluations:
        </p>
        <p className="empty mb-0">
          <code>
            ropebench run {bench.folder}/{bench.file} {study?.name ?? 'look'}
          </code>
          <br />
          <code>ropebench table {samples[0]?.run ?? 'RUN'} --sort {bench.outputs.find((o) => o.kind !== 'curve')?.name ?? 'NAME'} --only feasible</code>
          <br />
          <code>ropebench table {samples[0]?.run ?? 'RUN'} --csv &gt; table.csv</code>
        </p>
        {!study && (
          <p className="note calm">
            This bench has no study of kind sample yet. Add one under <code>studies:</code>, for example <code>{'look: {kind: sample, points: 40}'}</code>.
          </p>
        )}
      </Panel>
      <Panel title="Samples so far">
        {samples.length === 0 ? (
          <p className="empty mb-0">None yet.</p>
        ) : (
          <table className="plain">
            <thead>
              <tr>
                <th>run</th>
                <th className="left">study</th>
                <th>evaluations</th>
                <th>feasible</th>
                <th>failed</th>
              </tr>
            </thead>
            <tbody>
              {samples.map((run) => (
                <tr key={run.run}>
                  <td>{run.run}</td>
                  <td className="left">{runName(run)}</td>
                  <td>{run.evaluations}</td>
                  <td>{run.feasible}</td>
                  <td>{run.failed}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </Panel>
    </main>
  )
}
