import { useState } from 'react'
import { Button, Form } from 'react-bootstrap'
import { useNavigate, useParams } from 'react-router'
import { useAddOutput, useResultFile, useResults, useWays } from '../api/files'
import { inPath } from '../api/request'
import type { Bench, Spot } from '../api/types'
import { Panel } from '../parts/Panel'
import { Trouble } from '../parts/Trouble'
import { usePlace } from '../places/place'
import { bytes, show } from '../words'
import { NumbersText, shownLines } from './NumbersText'

/** What the last evaluation has left: a click on a number makes an output of it. */
export function Results() {
  const { bench, runs } = usePlace()
  const newest = runs.find((r) => r.question.kind === 'try')
  const results = useResults(bench.name, `${bench.revision} ${newest?.run}:${newest?.state}`)
  const navigate = useNavigate()
  const asked = useParams()['*']
  const file = results.data?.files.find((f) => f.path === asked)?.path ?? results.data?.files[0]?.path
  return (
    <main style={{ gridTemplateColumns: 'minmax(0, 1fr) 360px' }}>
      {results.error && (
        <Panel first title="Results">
          <p className="empty mb-0">{results.error.message}</p>
        </Panel>
      )}
      {results.data && file && (
        <File key={file} bench={bench} file={file}>
          <Panel title="Files" aside={`of evaluation ${results.data.evaluation} of run ${results.data.run}`}>
            <Form.Select aria-label="File" value={file} onChange={(e) => void navigate(`../results/${inPath(e.target.value)}`)}>
              {results.data.files.map((f) => (
                <option key={f.path} value={f.path}>
                  {f.path}, {bytes(f.bytes)}
                  {f.outputs ? `: ${f.outputs.join(', ')}` : ''}
                </option>
              ))}
            </Form.Select>
          </Panel>
        </File>
      )}
    </main>
  )
}

function File({ bench, file, children }: { bench: Bench; file: string; children: React.ReactNode }) {
  const [from, setFrom] = useState(1)
  const [spot, setSpot] = useState<Spot>()
  const text = useResultFile(bench.name, file, from)
  return (
    <>
      <Panel first title={file} aside={text.data && shownLines(text.data)}>
        {text.error && <Trouble error={text.error} />}
        {text.data && (
          <NumbersText
            text={text.data} onClick={(segment, line) => setSpot({ file, line, number: segment.field! })} onPage={setFrom}
            lookOf={(segment, line) => ({ className: spot?.line === line && spot.number === segment.field ? 'chosen' : '' })}
          />
        )}
      </Panel>
      <div className="d-flex flex-column gap-3">
        {children}
        {spot ? (
          <Ways key={`${spot.line}:${spot.number}`} bench={bench} spot={spot} onDone={() => setSpot(undefined)} />
        ) : (
          <Panel title="Numbers of the results">
            <p className="mb-0">Click a number to make an output of it: how it is found again is shown with what that reads now.</p>
          </Panel>
        )}
      </div>
    </>
  )
}

/** Asks by which way an output reads a number again, and what it is called. */
function Ways({ bench, spot, onDone }: { bench: Bench; spot: Spot; onDone: () => void }) {
  const ways = useWays(bench.name, spot)
  const add = useAddOutput(bench.name)
  const [way, setWay] = useState(0)
  const [name, setName] = useState('')
  const [unit, setUnit] = useState('')
  return (
    <Panel title={`Number ${spot.number} of line ${spot.line}`}>
      {ways.error && <Trouble error={ways.error} />}
      {ways.data && (
        <Form
          onSubmit={(e) => {
            e.preventDefault()
            add.mutate({ ...spot, name, way, ...(unit === '' ? {} : { unit }) }, { onSuccess: onDone })
          }}
        >
          <fieldset className="mb-2">
            <legend className="fs-6 mb-1">How it is found again</legend>
            {ways.data.map((w, i) => (
              <Form.Check
                key={w.output} type="radio" name="way" id={`way-${i}`} checked={way === i} onChange={() => setWay(i)}
                label={
                  <>
                    {w.says}: <b>{w.value === undefined ? `${show(w.samples)} values` : show(w.value)}</b>
                  </>
                }
              />
            ))}
          </fieldset>
          <pre className="statement-text mb-2">{ways.data[way]?.output}</pre>
          <div className="d-flex gap-2">
            <Form.Group controlId="output-name">
              <Form.Label>Name of the output</Form.Label>
              <Form.Control value={name} placeholder="gap" onChange={(e) => setName(e.target.value.trim())} />
            </Form.Group>
            <Form.Group controlId="output-unit">
              <Form.Label>Unit</Form.Label>
              <Form.Control value={unit} placeholder="m" onChange={(e) => setUnit(e.target.value)} />
            </Form.Group>
          </div>
          {add.error && <Trouble error={add.error} />}
          <div className="d-flex gap-2 mt-2">
            <Button type="submit" disabled={name === '' || add.isPending}>
              Make it an output
            </Button>
            <Button variant="outline" onClick={onDone}>
              Cancel
            </Button>
          </div>
        </Form>
      )}
    </Panel>
  )
}
