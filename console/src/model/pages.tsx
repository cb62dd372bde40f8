import type { KeyboardEvent } from 'react'
import { Button } from 'react-bootstrap'

/** How many lines the service sends at a time. */
export const pageLines = 2000

/** The way to the other lines of a long file. */
export function Pages({ from, shown, total, step, onChange }: { from: number; shown: number; total: number; step: number; onChange: (from: number) => void }) {
  const last = from + shown - 1
  if (from === 1 && last >= total) return null
  return (
    <div className="d-flex gap-2 mt-2">
      <Button size="sm" variant="outline" disabled={from === 1} onClick={() => onChange(Math.max(1, from - step))}>
        Previous
      </Button>
      <Button size="sm" variant="outline" disabled={last >= total} onClick={() => onChange(from + step)}>
        Next
      </Button>
    </div>
  )
}

/** Moves the focus among the numbers of a text: all of them are one stop of the tabulator. */
export function walk(event: KeyboardEvent<HTMLElement>) {
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
