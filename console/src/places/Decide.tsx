import { useState } from 'react'
import { Button, Form } from 'react-bootstrap'
import { useSearchParams } from 'react-router'
import { useCandidates, useEvaluations } from '../api/candidates'
import { Candidates, PickForm } from '../decide/Candidates'
import { Overlaid } from '../decide/Overlaid'
import { SideBySide } from '../decide/SideBySide'
import { keyOf, nameOf, readKey, type Compared } from '../decide/compared'
import { Panel } from '../parts/Panel'
import { Trouble } from '../parts/Trouble'
import { isStudy, nominalRun, usePlace } from './place'

const most = 6 // designs beside each other

/** Decide: designs side by side, what each costs and gives up, and those that were picked. */
export function Decide() {
  const { bench, runs } = usePlace()
  const candidates = useCandidates(bench.name)
  const [address, setAddress] = useSearchParams()
  const best = runs.find((r) => isStudy(r) && r.headline)
  const nominal = nominalRun(bench, runs)
  const picked = candidates.data ?? []
  const offered = [...(nominal ? [keyOf(nominal.run, 1)] : []), ...picked.map((c) => keyOf(c.run, c.evaluation)), ...(picked.length === 0 && best?.headline ? [keyOf(best.run, best.headline.evaluation)] : [])]
  const beside = address.get('beside') ?? ''
  const keys = [...new Set(address.get('with')?.split(',').filter(readKey) ?? [...offered.slice(0, most - 1), ...(readKey(beside) ? [beside] : [])])].slice(0, most)
  const evaluations = useEvaluations(keys.map((key) => readKey(key)!))
  const designs = keys.map<Compared>((key, i) => {
    const { run, evaluation } = readKey(key)!
    return { key, name: run === nominal?.run ? 'nominal' : nameOf(picked, run, evaluation), run, evaluation, detail: evaluations[i]?.data }
  })
  const lookAt = (next: string[]) => setAddress(next.length > 0 ? { with: next.join(',') } : {}, { replace: true })
  const error = evaluations.find((e) => e.error)?.error
  return (
    <main style={{ gridTemplateColumns: 'minmax(0, 1fr) 420px' }}>
      <Panel first title="Side by side" aside={designs.length > 1 ? `change from ${designs[0]!.name}` : ''} style={{ gridColumn: '1 / 3' }}>
        {designs.length > 0 ? (
          <SideBySide bench={bench} designs={designs} onDrop={(key) => lookAt(keys.filter((k) => k !== key))} />
        ) : (
          <p className="empty">Designs of any runs stand side by side here. Evaluate the nominal design in Model, or look for a better one in Improve first; then add designs below.</p>
        )}
        <Add full={keys.length >= most} onAdd={(key) => lookAt([...keys, key])} />
        {error && <Trouble error={error} />}
      </Panel>
      {bench.outputs
        .filter((o) => o.kind === 'curve')
        .map((o) => (
          <Overlaid key={o.name} output={o} designs={designs} requirements={bench.requirements} />
        ))}
      <Candidates bench={bench} />
      <PickForm key={beside} bench={bench} suggested={readKey(beside) ? beside : best?.headline && keyOf(best.run, best.headline.evaluation)} />
    </main>
  )
}

/** Puts another design beside the others. */
function Add({ full, onAdd }: { full: boolean; onAdd: (key: string) => void }) {
  const [text, setText] = useState('')
  const of = readKey(text)
  return (
    <Form
      className="d-flex gap-2 mt-3 align-items-center"
      onSubmit={(e) => {
        e.preventDefault()
        if (!of) return
        onAdd(keyOf(of.run, of.evaluation))
        setText('')
      }}
    >
      <Form.Control size="sm" aria-label="another design" placeholder="RUN:EVALUATION" value={text} onChange={(e) => setText(e.target.value)} style={{ width: 160 }} disabled={full} />
      <Button type="submit" size="sm" variant="outline" disabled={!of || full}>
        Put beside
      </Button>
      <span className="muted">{full ? `${most} designs are as many as stand beside each other: take one away first.` : ''}</span>
    </Form>
  )
}
