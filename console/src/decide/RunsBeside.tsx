import { Form } from 'react-bootstrap'
import { Link, useSearchParams } from 'react-router'
import { useConvergences } from '../api/convergence'
import { spanOf } from '../explore/ranges'
import { Lines } from '../parts/Lines'
import { Panel } from '../parts/Panel'
import { Trouble } from '../parts/Trouble'
import { usePlace } from '../places/place'
import { atWork, show, titled } from '../words'
import { keyOf } from './compared'
import { askedBesides, bestOf, linesOf, reachedAt, searchesOf, suggested } from './runsBeside'

const most = 5 // runs beside each other
const near = 0.01 // of the best of all

/** Runs side by side: how their best designs came to be, what each was asked, and what it spent. */
export function RunsBeside() {
  const { bench, runs } = usePlace()
  const path = `/bench/${encodeURIComponent(bench.name)}`
  const [address, setAddress] = useSearchParams()
  const searches = searchesOf(bench, runs)
  const named = address.get('runs')?.split(',').map(Number)
  const chosen = searches.filter((run) => (named ?? suggested(searches, most)).includes(run.run)).slice(0, most)
  const answers = useConvergences(chosen)
  const steps = answers.map((a) => a.data)
  const objectives = new Set(steps.flatMap((s) => (s ? [s.objective ?? ''] : [])))
  const lines = linesOf(chosen.map((run, i) => ({ run: run.run, steps: steps[i] })))
  const best = objectives.size === 1 ? bestOf(steps) : undefined
  const [objective, unit] = [steps.find((s) => s)?.objective, steps.find((s) => s)?.unit]
  const toggle = (run: number) => {
    const now = chosen.map((r) => r.run)
    setAddress({ runs: (now.includes(run) ? now.filter((r) => r !== run) : [...now, run]).join(',') }, { replace: true })
  }
  const designs = chosen.flatMap((run) => (run.headline ? [keyOf(run.run, run.headline.evaluation)] : []))
  return (
    <main style={{ gridTemplateColumns: 'minmax(0, 1fr)' }}>
      <Panel first title="Runs side by side" aside={best === undefined ? undefined : `the best of them: ${show(best)} ${unit ?? ''}`}>
        {searches.length === 0 && <p className="empty">Searches stand side by side here: the same study with another seed, another bound, an input held. Start one in Improve.</p>}
        {objectives.size > 1 && <p className="note">These searches make different values best, so that no figure has them all: choose runs of one objective.</p>}
        {objectives.size === 1 && objective && lines.length > 0 && (
          <Lines
            lines={lines} limits={[]} units={{ y: unit }} height={280} label="the best feasible design so far of each run"
            axes={{ x: { title: 'evaluation', range: [0, 1.02 * Math.max(...lines.flatMap((l) => l.x))] }, y: { title: titled(objective, unit), range: spanOf(lines.flatMap((l) => l.y)) } }}
          />
        )}
        {answers.map((a) => a.error && <Trouble key={a.error.message} error={a.error} />)}
        {searches.length > 0 && (
          <div className="scroll mt-2">
            <table className="plain">
              <thead>
                <tr>
                  <th>run</th>
                  <th className="left">asked</th>
                  <th>evaluations</th>
                  <th>reused</th>
                  <th>best</th>
                  <th title="the evaluation after which its best design was within 1 % of the best of all">within 1 % of the best</th>
                  <th className="left">ended</th>
                </tr>
              </thead>
              <tbody>
                {searches.map((run) => {
                  const i = chosen.indexOf(run)
                  const shown = i >= 0
                  return (
                    <tr key={run.run}>
                      <td className="nowrap">
                        <Form.Check
                          inline type="checkbox" id={`beside-${run.run}`} aria-label={`run ${run.run} beside the others`} checked={shown} disabled={!shown && chosen.length >= most}
                          onChange={() => toggle(run.run)} className="me-1"
                        />
                        <Link to={`${path}/improve/${run.run}`}>run {run.run}</Link> {run.question.study}
                      </td>
                      <td className="left wrap muted">{askedBesides(run, bench.revision)}</td>
                      <td>{run.evaluations.toLocaleString('en')}</td>
                      <td className="muted">{run.reused > 0 ? run.reused.toLocaleString('en') : ''}</td>
                      <td>{!run.headline ? '' : run.headline.feasible ? show(run.headline.objective) : <span className="attention">misses {run.headline.misses}</span>}</td>
                      <td>{shown && best !== undefined ? show(reachedAt(steps[i], best, near)) : ''}</td>
                      <td className="left wrap muted">{atWork(run) ? 'at work' : run.reason || run.state}</td>
                    </tr>
                  )
                })}
              </tbody>
            </table>
          </div>
        )}
        {designs.length > 0 && (
          <p className="mt-3 mb-0">
            <Link to={`${path}/decide?with=${designs.join(',')}`}>Their best designs side by side</Link>
          </p>
        )}
      </Panel>
    </main>
  )
}
