import type { Run } from '../api/types'

/** From which design a search starts, or which one a study is about, and what the run held and freed: nothing where there is nothing of it. */
export function Asked({ run: { question } }: { run: Run }) {
  const says = [question.about, ...(question.besides ?? [])].filter(Boolean)
  if (says.length === 0) return null
  return <p className="mb-0 mt-1">{says.join('; ')}</p>
}
