/** A text that was changed and not saved, with the digest of the file that it was begun from. */
export type Draft = { text: string; digest: string }

const keyOf = (bench: string, path: string) => `draft ${bench} ${path}`

/** The draft of a file. It is kept for the tab: another place and a reload do not lose it. */
export function draftOf(bench: string, path: string): Draft | undefined {
  const kept = sessionStorage.getItem(keyOf(bench, path))
  return kept === null ? undefined : (JSON.parse(kept) as Draft)
}

export function keepDraft(bench: string, path: string, draft: Draft | undefined) {
  if (draft) sessionStorage.setItem(keyOf(bench, path), JSON.stringify(draft))
  else sessionStorage.removeItem(keyOf(bench, path))
}

/** Whether any text is not saved, so that closing the tab would lose it. */
export const hasDrafts = () => Object.keys(sessionStorage).some((key) => key.startsWith('draft '))

window.addEventListener('beforeunload', (event) => {
  if (hasDrafts()) event.preventDefault()
})
