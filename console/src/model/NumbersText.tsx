import type { KeyboardEvent } from 'react'
import { Button } from 'react-bootstrap'
import type { Deck, Segment } from '../api/types'

/** How many lines the service sends at a time. */
const pageLines = 2000

/** How a number looks, and what is said of it. */
type Look = { id?: string; className?: string; title?: string }

type Props = {
  text: Deck
  lookOf: (segment: Segment, line: number) => Look
  /** Without it the numbers are plain text. */
  onClick: ((segment: Segment, line: number) => void) | undefined
  /** Another first line is wanted. */
  onPage: (from: number) => void
}

/** Lines of a file, with its numbers to be clicked. */
export function NumbersText({ text, lookOf, onClick, onPage }: Props) {
  const first = text.lines.flat().find((s) => s.value !== undefined)
  return (
    <>
      {/* eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions -- the arrows walk among the buttons within */}
      <div className="deck" role="group" aria-label={`Numbers of ${text.path}: walk with the arrow keys`} onKeyDown={walk}>
        {text.lines.map((segments, i) => {
          const line = text.from + i
          return (
            <div key={line}>
              <i>{line}</i>
              {segments.map((segment, k) =>
                segment.value === undefined || !onClick ? (
                  <span key={k}>{segment.text}</span>
                ) : (
                  <Number key={k} text={segment.text} look={lookOf(segment, line)} stop={segment === first} onClick={() => onClick(segment, line)} />
                ),
              )}
              <span className="owner">{segments.flatMap((s) => s.inputs ?? []).join(', ')}</span>
            </div>
          )
        })}
      </div>
      <Pages text={text} onPage={onPage} />
    </>
  )
}

function Number({ text, look, stop, onClick }: { text: string; look: Look; stop: boolean; onClick: () => void }) {
  return (
    <button id={look.id} title={look.title} className={['number', look.className].filter(Boolean).join(' ')} tabIndex={stop ? 0 : -1} onClick={onClick}>
      {text}
    </button>
  )
}

/** Which lines of a file are shown. */
export const shownLines = (text: Deck) => `lines ${text.from} to ${text.from + text.lines.length - 1} of ${text.total}`

/** The way to the other lines of a long file. */
function Pages({ text, onPage }: { text: Deck; onPage: (from: number) => void }) {
  const last = text.from + text.lines.length - 1
  if (text.from === 1 && last >= text.total) return null
  return (
    <div className="d-flex gap-2 mt-2">
      <Button size="sm" variant="outline" disabled={text.from === 1} onClick={() => onPage(Math.max(1, text.from - pageLines))}>
        Previous
      </Button>
      <Button size="sm" variant="outline" disabled={last >= text.total} onClick={() => onPage(text.from + pageLines)}>
        Next
      </Button>
    </div>
  )
}

/** Moves the focus among the numbers of a text: all of them are one stop of the tabulator. */
function walk(event: KeyboardEvent<HTMLElement>) {
  const steps: Record<string, number> = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: 1, ArrowUp: -1, Home: -Infinity, End: Infinity }
  const step = steps[event.key]
  if (step === undefined) return
  event.preventDefault()
  const numbers = [...event.currentTarget.querySelectorAll<HTMLButtonElement>('button.number')]
  if (numbers.length === 0) return
  const here = numbers.indexOf(document.activeElement as HTMLButtonElement)
  let next = Math.min(numbers.length - 1, Math.max(0, here + step))
  if (event.key === 'ArrowDown' || event.key === 'ArrowUp') while (numbers[next + step] && here >= 0 && numbers[next]!.parentElement === numbers[here]!.parentElement) next += step
  for (const number of numbers) number.tabIndex = -1
  numbers[next]!.tabIndex = 0
  numbers[next]!.focus()
}
