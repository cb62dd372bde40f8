import { useState, type SyntheticEvent } from 'react'
import { Button, Form, Modal } from 'react-bootstrap'
import { useStartRun } from '../api/queries'
import type { Bench, Input, Run } from '../api/types'
import { heldMistake, orderOf, startWords, wholeMistake } from './holding'
import { Trouble } from './Trouble'

type Props = { bench: Bench; study?: string; held?: Record<string, string>; of?: { run: number; evaluation: number }; pace?: number; onClose: () => void; onStarted: (run: Run) => void }

const searching = ['optimize', 'seek', 'calibrate'] // kinds that have a start

/** Asks which study to start, with which seed, and which inputs to hold. */
export function StartStudy({ bench, study, held: heldAtFirst, of, pace, onClose, onStarted }: Props) {
  const runnable = bench.studies.filter((s) => !s.later && (!of || searching.includes(s.kind)))
  const [name, setName] = useState(study ?? (runnable.find((s) => s.kind === 'optimize') ?? runnable[0])?.name ?? '')
  const [seed, setSeed] = useState('')
  const [evaluations, setEvaluations] = useState('')
  const [held, setHeld] = useState<Record<string, string>>(heldAtFirst ?? {})
  const start = useStartRun(bench.name)
  const varied = bench.inputs.filter((i) => i.varied)
  const mistakes = {
    seed: wholeMistake(seed, 'seed'), evaluations: wholeMistake(evaluations, 'evaluations'), held: Object.fromEntries(varied.map((i) => [i.name, heldMistake(i, held[i.name] ?? '')])),
  }
  const wrong = [mistakes.seed, mistakes.evaluations, ...Object.values(mistakes.held)].some((mistake) => mistake !== undefined)
  const chosen = bench.studies.find((s) => s.name === name)
  const order = wrong ? undefined : { ...orderOf(bench, name, { seed, evaluations, held }), ...(of ? { of } : {}) }
  const submit = (event: SyntheticEvent) => {
    event.preventDefault()
    if (order && !start.isPending) start.mutate(order, { onSuccess: onStarted })
  }
  return (
    <Modal show onHide={onClose} aria-labelledby="start-study">
      <Form onSubmit={submit}>
        <Modal.Header closeButton>
          <Modal.Title id="start-study" as="h1">
            Start a study
          </Modal.Title>
        </Modal.Header>
        <Modal.Body>
          <Form.Group className="mb-3" controlId="study">
            <Form.Label>Study</Form.Label>
            <Form.Select value={name} onChange={(e) => setName(e.target.value)}>
              {bench.studies.map((s) => (
                <option key={s.name} value={s.name} disabled={!runnable.includes(s)}>
                  {s.name}: {s.later ?? s.says}
                </option>
              ))}
            </Form.Select>
          </Form.Group>
          <div className="d-flex gap-3 mb-3">
            <Form.Group controlId="seed">
              <Form.Label>Seed</Form.Label>
              <Form.Control inputMode="numeric" value={seed} placeholder="the study's" isInvalid={mistakes.seed !== undefined} onChange={(e) => setSeed(e.target.value)} />
              <Form.Control.Feedback type="invalid">{mistakes.seed}</Form.Control.Feedback>
            </Form.Group>
            <Form.Group controlId="evaluations">
              <Form.Label>Evaluations</Form.Label>
              <Form.Control inputMode="numeric" value={evaluations} placeholder="the study's" isInvalid={mistakes.evaluations !== undefined} onChange={(e) => setEvaluations(e.target.value)} />
              <Form.Control.Feedback type="invalid">{mistakes.evaluations}</Form.Control.Feedback>
            </Form.Group>
          </div>
          <h2>
            Hold inputs for this run <span className="unit">leave empty to vary</span>
          </h2>
          {varied.map((input) => (
            <Form.Group key={input.name} controlId={`hold-${input.name}`} className="d-flex gap-2 align-items-center mb-1">
              <Form.Label className="mb-0" style={{ flex: '0 0 150px' }}>
                {input.name}
              </Form.Label>
              <HeldValue input={input} value={held[input.name] ?? ''} wrong={mistakes.held[input.name] !== undefined} onChange={(text) => setHeld({ ...held, [input.name]: text })} />
              <span className={mistakes.held[input.name] ? 'attention' : 'muted'}>{mistakes.held[input.name] ?? input.says}</span>
            </Form.Group>
          ))}
          {of && (
            <p className="note calm">
              It starts at evaluation {of.evaluation} of run {of.run}.
            </p>
          )}
          {chosen && order && <p className="note calm">{startWords(chosen, bench, order, pace)}</p>}
          {start.error && <Trouble error={start.error} />}
        </Modal.Body>
        <Modal.Footer>
          <Button variant="outline" onClick={onClose}>
            Cancel
          </Button>
          <Button type="submit" disabled={start.isPending || name === '' || wrong}>
            Start
          </Button>
        </Modal.Footer>
      </Form>
    </Modal>
  )
}

/** Asks for the value at which an input is held: one of its words, or a number. */
function HeldValue({ input, value, wrong, onChange }: { input: Input; value: string; wrong: boolean; onChange: (text: string) => void }) {
  if (input.choices?.words)
    return (
      <Form.Select size="sm" style={{ width: 150 }} value={value} onChange={(e) => onChange(e.target.value)}>
        <option value="">vary</option>
        {input.choices.words.map((word) => (
          <option key={word}>{word}</option>
        ))}
      </Form.Select>
    )
  return (
    <Form.Control inputMode="decimal" size="sm" style={{ width: 110 }} value={value} placeholder={String(input.nominal)} isInvalid={wrong} onChange={(e) => onChange(e.target.value)} />
  )
}
