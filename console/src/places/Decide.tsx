import { Panel } from '../parts/Panel'
import { isStudy, usePlace } from './place'

/** Decide: what will be here, and how to do it from the terminal until then. */
export function Decide() {
  const { bench, runs } = usePlace()
  const best = runs.find((r) => isStudy(r) && r.headline)
  return (
    <main>
      <Panel first title="Decide">
        <p className="empty">
          Here designs will stand side by side: what each costs, what each gives up, and what happens if one number is changed. Until then the
          terminal sorts the designs of a run, and evaluates what you would like to change:
        </p>
        <p className="empty mb-0">
          <code>ropebench table {best?.run ?? 'RUN'} --only feasible --sort NAME</code>
          <br />
          <code>
            ropebench try {bench.folder}/{bench.file} --set {bench.inputs.find((i) => i.varied)?.name ?? 'INPUT'}=VALUE
          </code>
          <br />
          <code>ropebench verify {best?.run ?? 'RUN'} --evaluation {best?.headline?.evaluation ?? 'NUMBER'}</code>
        </p>
      </Panel>
    </main>
  )
}
