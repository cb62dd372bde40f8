import { useState, type SyntheticEvent } from 'react'
import { Button, Form, Modal } from 'react-bootstrap'
import { useStartRun } from '../api/queries'
import type { Bench, Input, Run } from '../api/types'
import { show } from '../words'
import { asItIs, orderOf, settingMistake, startWords, wholeMistake, type Setting } from './holding'
import { Trouble } from './Trouble'

type Props = { bench: Bench; study?: string; held?: Record<string, string>; of?: { run: number; evaluation: number }; pace?: number; onClose: () => void; onStarted: (run: Run) => void }

const searching = ['optimize', 'seek', 'calibrate'] // kinds that have a start

/** Asks which study to start, with which seed, and which inputs to hold or to move. */
export function StartStudy({ bench, study, held, of, pace, onClose, onStarted }: Props) {
  const runnable = bench.studies.filter((s) => !s.later && (!of || searching.includes(s.kind)))
  const [name, setName] = useState(study ?? (runnable.find((s) => s.kind === 'optimize') ?? runnable[0])?.name ?? '')
  const [seed, setSeed] = useState('')
  const [evaluations, setEvaluations] = useState('')
  const [settings, setSettings] = useState<Record<string, Setting>>(() => Object.fromEntries(Object.entries(held ?? {}).map(([input, at]) => [input, { ...asItIs, does: 'hold', at }])))
  const start = useStartRun(bench.name)
  const mistakes = {
    seed: wholeMistake(seed, 'seed'), evaluations: wholeMistake(evaluations, 'evaluations'), inputs: bench.inputs.map((i) => settingMistake(i, settings[i.name] ?? asItIs)),
  }
  const wrong = [mistakes.seed, mistakes.evaluations, ...mistakes.inputs].some((mistake) => mistake !== undefined)
  const chosen = bench.studies.find((s) => s.name === name)
  const order = wrong ? undefined : { ...orderOf(bench, name, { seed, evaluations, settings }), ...(of ? { of } : {}) }
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
          <h2>Inputs in this run</h2>
          {bench.inputs.map((input, i) => (
            <InputSetting
              key={input.name} input={input} moves={chosen?.moves.includes(input.name) ?? input.varied} setting={settings[input.name] ?? asItIs} mistake={mistakes.inputs[i]}
              onChange={(to) => setSettings({ ...settings, [input.name]: to })}
            />
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

/** A setting as it begins: an input is held where it is nominal. */
const chosen = (input: Input, does: Setting['does']): Setting => ({ ...asItIs, does, at: does === 'hold' ? String(input.nominal) : '' })

type SettingProps = { input: Input; moves: boolean; setting: Setting; mistake?: string; onChange: (to: Setting) => void }

/** Asks what a run does with an input: what the study does, hold it, or move it. */
function InputSetting({ input, moves, setting, mistake, onChange }: SettingProps) {
  const asked = (key: 'at' | 'lower' | 'upper', label: string, placeholder?: number | string) => (
    <Form.Control
      inputMode="decimal" size="sm" style={{ width: 84 }} aria-label={`${input.name} ${label}`} value={setting[key]} placeholder={placeholder === undefined ? '' : show(placeholder)}
      isInvalid={mistake !== undefined && (setting[key] !== '' || placeholder === undefined)} onChange={(e) => onChange({ ...setting, [key]: e.target.value })}
    />
  )
  return (
    <Form.Group controlId={`input-${input.name}`} className="d-flex gap-2 align-items-center mb-1">
      <Form.Label className="mb-0" style={{ flex: '0 0 130px' }}>
        {input.name}
      </Form.Label>
      <Form.Select size="sm" style={{ width: 110 }} value={setting.does} onChange={(e) => onChange(chosen(input, e.target.value as Setting['does']))}>
        <option value="as it is">{moves ? 'moves' : 'is held'}</option>
        <option value="hold">hold at</option>
        <option value="move">{moves ? 'move from' : 'free'}</option>
      </Form.Select>
      {setting.does === 'hold' && input.choices?.words && (
        <Form.Select size="sm" style={{ width: 150 }} aria-label={`${input.name} value`} value={setting.at} onChange={(e) => onChange({ ...setting, at: e.target.value })}>
          <option value="">a value</option>
          {input.choices.words.map((word) => (
            <option key={word}>{word}</option>
          ))}
        </Form.Select>
      )}
      {setting.does === 'hold' && !input.choices?.words && asked('at', 'value', input.nominal)}
      {setting.does === 'move' && !input.choices && (
        <>
          {asked('lower', 'lower end', input.range?.lower)} to {asked('upper', 'upper end', input.range?.upper)}
        </>
      )}
      <span className={mistake ? 'attention' : 'muted'}>{mistake ?? (setting.does === 'as it is' ? (moves ? input.says : `at ${show(input.nominal)}`) : input.unit)}</span>
    </Form.Group>
  )
}
