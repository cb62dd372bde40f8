import { useEffect, useRef, useState } from 'react'
import { Button, Form } from 'react-bootstrap'
import { Link, useNavigate, useParams } from 'react-router'
import { useChangePlaces, useDeck, useFiles } from '../api/files'
import { inPath } from '../api/request'
import type { Bench, Deck, NumberPlace, Segment } from '../api/types'
import { Panel } from '../parts/Panel'
import { Trouble } from '../parts/Trouble'
import { usePlace } from '../places/place'
import { NumbersText, shownLines } from './NumbersText'

/** A number of a deck that was clicked. */
type Chosen = NumberPlace & { text: string; value: number }

/** Whether two numbers stand in one field, or in the same columns. */
const sameColumn = (a: { field?: number; columns?: number[] }, b: { field?: number; columns?: number[] }) =>
  a.columns || b.columns ? a.columns?.[0] === b.columns?.[0] && a.columns?.[1] === b.columns?.[1] : a.field === b.field

/** How a place is named: its columns where the lines are aligned, else its field. */
const placeOf = (line: number, segment: { field?: number; columns?: number[] }): NumberPlace => (segment.columns ? { line, columns: segment.columns } : { line, field: segment.field })

const placeWords = ({ field, columns }: { field?: number; columns?: number[] }) => (columns ? `columns ${columns[0]} to ${columns[1]}` : `field ${field}`)

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
  const click = ({ text, value, inputs, ...at }: Segment, line: number) => {
    const place = placeOf(line, at)
    change.reset()
    setChosen(inputs ? undefined : { ...place, text, value: value! })
    if (inputs) change.mutate({ deck: file, input: inputs[0]!, numbers: [place], give_back: true })
  }
  const look = (segment: Segment, line: number) => ({
    id: placeId(placeOf(line, segment)),
    className: segment.inputs ? 'taken' : chosen?.line === line && sameColumn(chosen, segment) ? 'chosen' : '',
    title: segment.inputs ? `${segment.inputs.join(', ')}: click to give it back` : `line ${line}, ${placeWords(segment)}`,
  })
  const leave = () => {
    if (chosen) document.getElementById(placeId(chosen))?.focus() // back to where one was
    setChosen(undefined)
  }
  return (
    <main style={{ gridTemplateColumns: 'minmax(0, 1fr) 320px' }}>
      <Panel first title={file} aside={deck.data && shownLines(deck.data)}>
        {deck.error && <Trouble error={deck.error} />}
        {deck.data && <NumbersText text={deck.data} lookOf={look} onClick={deck.data.blanks ? undefined : click} onPage={setFrom} />}
      </Panel>
      <div className="d-flex flex-column gap-3">
        {decks.length > 1 && (
          <Panel title="Decks">
            <Form.Select aria-label="Deck" value={file} onChange={(e) => void navigate(`../decks/${inPath(e.target.value)}`)}>
              {decks.map((name) => (
                <option key={name}>{name}</option>
              ))}
            </Form.Select>
          </Panel>
        )}
        {chosen && deck.data ? (
          <Take
            key={placeId(chosen)} bench={bench} deck={deck.data} chosen={chosen} busy={change.isPending}
            onTake={(order) => change.mutate({ deck: file, ...order }, { onSuccess: leave })} onCancel={leave}
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

/** The numbers of a deck that inputs stand for. */
function taken(deck: Deck): (NumberPlace & { text: string; inputs: string[] })[] {
  return deck.lines.flatMap((segments, i) => segments.filter((s) => s.inputs).map((s) => ({ ...placeOf(deck.from + i, s), text: s.text, inputs: s.inputs! })))
}

const placeId = ({ line, field, columns }: NumberPlace) => `number-${line}-${columns ? columns.join('-') : field}`

const focus = (element: HTMLElement | null) => element?.focus()

/** Lists what is taken, each once, with the way to it; the first is shown at the beginning. */
function Taken({ deck }: { deck: Deck }) {
  const all = taken(deck)
  const names = [...new Set(all.flatMap((n) => n.inputs))]
  const show = (place: NumberPlace) => document.getElementById(placeId(place))?.scrollIntoView({ block: 'center' })
  const first = all[0]!
  const shown = useRef('')
  useEffect(() => {
    if (shown.current === deck.path) return // once for each deck: the top of a deck is mostly a mesh
    shown.current = deck.path
    show(first)
  })
  return (
    <Panel title="Taken numbers">
      <table className="plain mb-2">
        <tbody>
          {names.map((name) => {
            const places = all.filter((n) => n.inputs.includes(name))
            const { line, text } = places[0]!
            return (
              <tr key={name}>
                <td>{name}</td>
                <td>{text}</td>
                <td>
                  <button className="plain-link" onClick={() => show(places[0]!)}>
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

type TakeProps = {
  bench: Bench
  deck: Deck
  chosen: Chosen
  busy: boolean
  onTake: (order: { input: string; numbers: NumberPlace[]; nominal: number; equals?: boolean }) => void
  onCancel: () => void
}

/** Asks which input stands for the number that was clicked, and for which others that are equal to it. */
function Take({ bench, deck, chosen, busy, onTake, onCancel }: TakeProps) {
  const [name, setName] = useState('')
  const [all, setAll] = useState(false)
  const others = equalBelow(deck, chosen)
  const known = bench.inputs.some((i) => i.name === name)
  return (
    <Panel title={`${chosen.text} on line ${chosen.line}`} aside={placeWords(chosen)}>
      <Form
        onSubmit={(e) => {
          e.preventDefault()
          onTake({ input: name, numbers: [placeOf(chosen.line, chosen)], nominal: chosen.value, ...(all ? { equals: true } : {}) })
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
        {(others > 0 || deck.total > deck.lines.length) && (
          <Form.Check
            id="take-others" className="mb-2" checked={all} onChange={(e) => setAll(e.target.checked)}
            label={`and every other ${chosen.text} in this column of the file, of which ${others} ${others === 1 ? 'is' : 'are'} on the lines shown`}
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

/** How many other numbers on the lines shown, in the column of one, are equal to it and not taken. */
export function equalBelow(deck: Deck, chosen: NumberPlace & { value: number }): number {
  return deck.lines.flatMap((segments, i) => segments.filter((s) => sameColumn(s, chosen) && s.value === chosen.value && !s.inputs && deck.from + i !== chosen.line)).length
}
