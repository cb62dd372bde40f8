import { useEffect, useRef, useState } from 'react'
import { Button, Form } from 'react-bootstrap'
import { Link, useNavigate, useParams } from 'react-router'
import { useChangePlaces, useDeck, useFiles } from '../api/files'
import type { Bench, Deck, Segment } from '../api/types'
import { Panel } from '../parts/Panel'
import { Trouble } from '../parts/Trouble'
import { usePlace } from '../places/place'

/** A number of a deck that was clicked. */
type Chosen = { line: number; field: number; text: string; value: number }

/** The decks of the bench as text whose numbers can be taken as inputs, and given back. */
export function Decks() {
  const { bench } = usePlace()
  const files = useFiles(bench.name, bench.revision)
  const decks = files.data?.files.filter((f) => f.deck).map((f) => f.path) ?? []
  const asked = useParams()['*']
  const file = asked || decks[0]
  if (files.error) return <Trouble error={files.error} />
  if (files.data && !file)
    return (
      <main>
        <p className="empty">
          No step fills a deck. Add one to the solver, such as <code>- fill: frame.inp</code>, and the numbers of that file can be clicked here to become inputs.
        </p>
      </main>
    )
  return file ? <DeckPage key={file} bench={bench} decks={decks} file={file} /> : null
}

function DeckPage({ bench, decks, file }: { bench: Bench; decks: string[]; file: string }) {
  const [from, setFrom] = useState(1)
  const [chosen, setChosen] = useState<Chosen>()
  const deck = useDeck(bench.name, bench.revision, file, from)
  const change = useChangePlaces(bench.name)
  const navigate = useNavigate()
  const click = (number: Chosen, inputs: string[] | undefined) => {
    change.reset()
    setChosen(inputs ? undefined : number)
    if (inputs) change.mutate({ deck: file, input: inputs[0]!, numbers: [{ line: number.line, field: number.field }], give_back: true })
  }
  const last = deck.data ? deck.data.from + deck.data.lines.length - 1 : 0
  return (
    <main style={{ gridTemplateColumns: 'minmax(0, 1fr) 320px' }}>
      <Panel title={file} aside={deck.data && `lines ${deck.data.from} to ${last} of ${deck.data.total}`}>
        {deck.error && <Trouble error={deck.error} />}
        {deck.data && <DeckText deck={deck.data} chosen={chosen} onClick={deck.data.blanks ? undefined : click} />}
        {deck.data && (from > 1 || last < deck.data.total) && (
          <div className="d-flex gap-2 mt-2">
            <Button size="sm" variant="outline" disabled={from === 1} onClick={() => setFrom(Math.max(1, from - pageLines))}>
              Previous
            </Button>
            <Button size="sm" variant="outline" disabled={last >= deck.data.total} onClick={() => setFrom(from + pageLines)}>
              Next
            </Button>
          </div>
        )}
      </Panel>
      <div className="d-flex flex-column gap-3">
        {decks.length > 1 && (
          <Panel title="Decks">
            <Form.Select aria-label="Deck" value={file} onChange={(e) => void navigate(`../decks/${e.target.value}`)}>
              {decks.map((name) => (
                <option key={name}>{name}</option>
              ))}
            </Form.Select>
          </Panel>
        )}
        {chosen && deck.data ? (
          <Take
            key={`${chosen.line}:${chosen.field}`} bench={bench} deck={deck.data} chosen={chosen} busy={change.isPending}
            onTake={(order) => change.mutate({ deck: file, ...order }, { onSuccess: () => setChosen(undefined) })} onCancel={() => setChosen(undefined)}
          />
        ) : deck.data && taken(deck.data).length > 0 ? (
          <Taken deck={deck.data} />
        ) : deck.data?.blanks ? (
          <Panel title="Blanks of the deck">
            <p className="mb-0">
              This deck has blanks: an input enters where its name stands, as in <code>@[spring_rate]</code>. To let an input stand for another number, write{' '}
              <code>@[name]</code> in its place in <Link to={`../files/${file}`}>the file</Link>.
            </p>
          </Panel>
        ) : (
          <Panel title="Numbers of the deck">
            <p className="mb-0">
              Click a number to let an input stand for it. The file stays as it is; the bench file gains the input, with a range of ±20 % as a guess to be confirmed, and
              its place. A number that is taken is drawn as <span className="number taken">8.0</span>, with the name of its input at the end of the line; click it again to give it back.
            </p>
          </Panel>
        )}
        {change.error && <Trouble error={change.error} />}
      </div>
    </main>
  )
}

type OnClick = ((number: Chosen, inputs: string[] | undefined) => void) | undefined

/** How many lines the service sends at a time. */
const pageLines = 2000

/** The numbers of a deck that inputs stand for. */
function taken(deck: Deck): { line: number; field: number; text: string; inputs: string[] }[] {
  return deck.lines.flatMap((segments, i) => segments.filter((s) => s.inputs).map((s) => ({ line: deck.from + i, field: s.field!, text: s.text, inputs: s.inputs! })))
}

const placeId = (line: number, field: number) => `number-${line}-${field}`

const focus = (element: HTMLElement | null) => element?.focus()

/** Lists what is taken, each once, with the way to it; the first is shown at the beginning. */
function Taken({ deck }: { deck: Deck }) {
  const all = taken(deck)
  const names = [...new Set(all.flatMap((n) => n.inputs))]
  const show = (line: number, field: number) => document.getElementById(placeId(line, field))?.scrollIntoView({ block: 'center' })
  const first = all[0]!
  const shown = useRef('')
  useEffect(() => {
    if (shown.current === deck.path) return // once for each deck: the top of a deck is mostly a mesh
    shown.current = deck.path
    show(first.line, first.field)
  })
  return (
    <Panel title="Taken numbers">
      <table className="plain mb-2">
        <tbody>
          {names.map((name) => {
            const places = all.filter((n) => n.inputs.includes(name))
            const { line, field, text } = places[0]!
            return (
              <tr key={name}>
                <td>{name}</td>
                <td>{text}</td>
                <td>
                  <button className="plain-link" onClick={() => show(line, field)}>
                    line {line}
                    {places.length > 1 && ` +${places.length - 1}`}
                  </button>
                </td>
              </tr>
            )
          })}
        </tbody>
      </table>
      <p className="mb-0">Click a number in the deck to let an input stand for it, with a range of ±20 % as a guess to be confirmed; click a taken one to give it back.</p>
    </Panel>
  )
}

function DeckText({ deck, chosen, onClick }: { deck: Deck; chosen: Chosen | undefined; onClick: OnClick }) {
  return (
    <div className="deck" role="group" aria-label={deck.path}>
      {deck.lines.map((segments, i) => {
        const line = deck.from + i
        return (
          <div key={line}>
            <i>{line}</i>
            {segments.map((segment, k) => (
              <Number key={k} segment={segment} line={line} chosen={chosen?.line === line && chosen.field === segment.field} onClick={onClick} />
            ))}
            <span className="owner">{segments.flatMap((s) => s.inputs ?? []).join(', ')}</span>
          </div>
        )
      })}
    </div>
  )
}

function Number({ segment, line, chosen, onClick }: { segment: Segment; line: number; chosen: boolean; onClick: OnClick }) {
  const { text, field, value, inputs } = segment
  if (field === undefined || value === undefined || !onClick) return <>{text}</>
  return (
    <button
      id={placeId(line, field)} className={`number${inputs ? ' taken' : ''}${chosen ? ' chosen' : ''}`} title={inputs ? `${inputs.join(', ')}: click to give it back` : `line ${line}, field ${field}`}
      onClick={() => onClick({ line, field, text, value }, inputs)}
    >
      {text}
    </button>
  )
}

type TakeProps = {
  bench: Bench
  deck: Deck
  chosen: Chosen
  busy: boolean
  onTake: (order: { input: string; numbers: { line: number; field: number }[]; nominal: number }) => void
  onCancel: () => void
}

/** Asks which input stands for the number that was clicked, and for which others that are equal to it. */
function Take({ bench, deck, chosen, busy, onTake, onCancel }: TakeProps) {
  const [name, setName] = useState('')
  const [all, setAll] = useState(false)
  const others = equalBelow(deck, chosen)
  const known = bench.inputs.some((i) => i.name === name)
  return (
    <Panel title={`${chosen.text} on line ${chosen.line}`} aside={`field ${chosen.field}`}>
      <Form
        onSubmit={(e) => {
          e.preventDefault()
          const numbers = [{ line: chosen.line, field: chosen.field }, ...(all ? others : [])]
          onTake({ input: name, numbers, nominal: chosen.value })
        }}
      >
        <Form.Group controlId="input-name">
          <Form.Label>Name of the input</Form.Label>
          <Form.Control ref={focus} list="input-names" value={name} placeholder="plate_thickness" onChange={(e) => setName(e.target.value.trim())} />
          <datalist id="input-names">
            {bench.inputs.map((i) => (
              <option key={i.name} value={i.name} />
            ))}
          </datalist>
        </Form.Group>
        <p className="muted mt-2 mb-2">
          {known ? `${name} is an input already: it will stand here too.` : `A new input: nominal ${chosen.text}, range ±20 %, both ends a guess.`}
        </p>
        {others.length > 0 && (
          <Form.Check
            id="take-others" className="mb-2" checked={all} onChange={(e) => setAll(e.target.checked)}
            label={`and the ${others.length === 1 ? 'other one' : `${others.length} others`} in this column that ${others.length === 1 ? 'is' : 'are'} ${chosen.text}`}
          />
        )}
        <div className="d-flex gap-2">
          <Button type="submit" disabled={busy || name === ''}>
            Take
          </Button>
          <Button variant="outline" onClick={onCancel}>
            Cancel
          </Button>
        </div>
      </Form>
    </Panel>
  )
}

/** The other numbers in the field of one that are equal to it, and not taken. */
export function equalBelow(deck: Deck, chosen: { line: number; field: number; value: number }): { line: number; field: number }[] {
  return deck.lines.flatMap((segments, i) =>
    segments
      .filter((s) => s.field === chosen.field && s.value === chosen.value && !s.inputs && deck.from + i !== chosen.line)
      .map((s) => ({ line: deck.from + i, field: s.field! })),
  )
}
