import { useState } from 'react'
import { Button, Form } from 'react-bootstrap'
import { Link, useNavigate } from 'react-router'
import { useCandidates, usePick, useWithdraw } from '../api/candidates'
import { useStartRun } from '../api/queries'
import type { Bench, NamedCandidate } from '../api/types'
import { reportOf } from '../api/reports'
import { Adopt } from '../improve/Adopt'
import { Panel } from '../parts/Panel'
import { Trouble } from '../parts/Trouble'
import { readKey } from './compared'

/** The designs that were picked, with what can be done with each. */
export function Candidates({ bench }: { bench: Bench }) {
  const candidates = useCandidates(bench.name)
  const withdraw = useWithdraw(bench.name)
  const verify = useStartRun(bench.name)
  const navigate = useNavigate()
  const [adopted, setAdopted] = useState<NamedCandidate>()
  const path = `/bench/${encodeURIComponent(bench.name)}`
  return (
    <Panel title="Candidates" aside="designs that were picked">
      {candidates.data?.length === 0 && <p className="empty">None was picked yet. A candidate is a design with a name and a reason: it can be compared, verified and adopted by that name.</p>}
      {candidates.data && candidates.data.length > 0 && (
        <table className="plain">
          <tbody>
            {candidates.data.map((c) => (
              <tr key={c.name}>
                <td>
                  <strong>{c.name}</strong>
                </td>
                <td className="left">
                  <Link to={`${path}/improve/${c.run}`}>run {c.run}</Link>, evaluation {c.evaluation}
                  {c.revision !== bench.revision && <span className="tag warn ms-1">of revision {c.revision}</span>}
                </td>
                <td className="left wrap">{c.because}</td>
                <td className="nowrap">
                  <button className="plain-link" disabled={verify.isPending} onClick={() => verify.mutate({ study: 'verify', of: { run: c.run, evaluation: c.evaluation } }, { onSuccess: (run) => void navigate(`${path}/prove/${run.run}`) })}>
                    verify
                  </button>{' '}
                  {bench.studies
                    .filter((s) => s.kind === 'uncertainty')
                    .map((s) => (
                      <span key={s.name}>
                        <button className="plain-link" title={s.says} disabled={verify.isPending} onClick={() => verify.mutate({ study: s.name, of: { run: c.run, evaluation: c.evaluation } }, { onSuccess: (run) => void navigate(`${path}/improve/${run.run}`) })}>
                          scatter by {s.name}
                        </button>{' '}
                      </span>
                    ))}
                  <a href={reportOf(bench.name, { candidate: c.name })} target="_blank" rel="noreferrer">
                    report
                  </a>{' '}
                  <button className="plain-link" onClick={() => setAdopted(c)}>
                    adopt
                  </button>{' '}
                  <button className="plain-link" disabled={withdraw.isPending} onClick={() => withdraw.mutate(c.name)}>
                    withdraw
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {[candidates.error, withdraw.error, verify.error].map((error) => error && <Trouble key={error.message} error={error} />)}
      {adopted && <Adopt bench={bench} of={adopted} onClose={() => setAdopted(undefined)} />}
    </Panel>
  )
}

/** Names a design, and says why. */
export function PickForm({ bench, suggested = '' }: { bench: Bench; suggested?: string }) {
  const pick = usePick(bench.name)
  const [design, setDesign] = useState('')
  const [name, setName] = useState('')
  const [because, setBecause] = useState('')
  const of = readKey(design || suggested)
  return (
    <Panel title="Pick a design" aside="RUN:EVALUATION">
      <Form
        onSubmit={(e) => {
          e.preventDefault()
          if (of) pick.mutate({ ...of, name: name.trim(), because }, { onSuccess: () => [setDesign, setName, setBecause].forEach((set) => set('')) })
        }}
      >
        <div className="d-flex gap-2 mb-2">
          <Form.Control size="sm" aria-label="design" placeholder={suggested || '4:17'} value={design} onChange={(e) => setDesign(e.target.value)} style={{ width: 110 }} />
          <Form.Control size="sm" aria-label="name" placeholder="name, such as light" value={name} onChange={(e) => setName(e.target.value)} />
        </div>
        <div className="d-flex gap-2">
          <Form.Control size="sm" aria-label="because" placeholder="why this one" value={because} onChange={(e) => setBecause(e.target.value)} />
          <Button type="submit" size="sm" disabled={!of || !name.trim() || pick.isPending}>
            Pick
          </Button>
        </div>
      </Form>
      {design && !readKey(design) && <p className="note mt-2 mb-0">A design is named by its run and its evaluation, as in 4:17.</p>}
      {pick.error && <Trouble error={pick.error} />}
    </Panel>
  )
}
