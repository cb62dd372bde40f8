import type { Bench, Run } from '../api/types'
import { beginning, heldAndFreed } from '../words'

/** Which design a run is about or starts at, and what it held and freed besides its study: nothing where there is nothing of it. */
export function Asked({ run, bench }: { run: Run; bench: Bench }) {
  const says = [beginning(run), heldAndFreed(run, bench).join(', ')].filter(Boolean)
  if (says.length === 0) return null
  return <p className="mb-0 mt-1">{says.join('; ')}</p>
}
