import type { Judgment } from '../api/types'
import { verdictWords } from '../words'

/** A verdict in words; colour only repeats it. */
export function VerdictTag({ judged, wish }: { judged?: Judgment; wish?: boolean }) {
  const verdict = judged?.verdict ?? 'not_shown'
  const tone = verdict === 'met' ? '' : verdict === 'not_shown' ? 'calm' : 'warn'
  return (
    <span className={`tag ${tone}`}>
      {verdictWords[verdict]}
      {wish && ' (a wish)'}
    </span>
  )
}
