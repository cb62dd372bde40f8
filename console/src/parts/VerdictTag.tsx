import type { Judgment } from '../api/types'
import { verdictWords } from '../words'

/** The mark of each verdict, the same as on the terminal. */
const marks: Record<Judgment['verdict'], string> = { met: '●', met_without_reserve: '◐', missed: '◇', not_shown: '▪' }

/** The mark of a verdict alone, with its words for who does not see it. */
export function VerdictMark({ judged }: { judged?: Judgment }) {
  const verdict = judged?.verdict ?? 'not_shown'
  return (
    <span role="img" aria-label={verdictWords[verdict]} title={verdictWords[verdict]} style={{ color: `var(--${verdict === 'missed' ? 'ochre' : verdict === 'not_shown' ? 'muted' : 'teal'})` }}>
      {marks[verdict]}
    </span>
  )
}

/** A verdict with its mark and in words; colour only repeats it. */
export function VerdictTag({ judged, besides }: { judged?: Judgment; besides?: 'a wish' | 'soft' }) {
  const verdict = judged?.verdict ?? 'not_shown'
  const tone = verdict === 'met' ? '' : verdict === 'not_shown' ? 'calm' : 'warn'
  return (
    <span className={`tag ${tone}`}>
      <span aria-hidden="true">{marks[verdict]}</span> {verdictWords[verdict]}
      {besides && ` (${besides})`}
    </span>
  )
}
