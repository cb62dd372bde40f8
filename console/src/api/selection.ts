import { useSyncExternalStore } from 'react'

/**
 * What is selected of each run, by evaluation numbers: one store for all figures and tables, outside of React, so that a
 * selection is drawn without rendering anything anew.
 */
const selections = new Map<number, ReadonlySet<number>>()
const listeners = new Set<() => void>()
const none: ReadonlySet<number> = new Set()

export const selectionOf = (run: number): ReadonlySet<number> => selections.get(run) ?? none

export function select(run: number, evaluations: Iterable<number>) {
  selections.set(run, new Set(evaluations))
  for (const listener of [...listeners]) listener()
}

/** Selects one evaluation more, or one less. */
export function toggle(run: number, evaluation: number) {
  const next = new Set(selectionOf(run))
  if (!next.delete(evaluation)) next.add(evaluation)
  select(run, next)
}

export function onSelection(listener: () => void): () => void {
  listeners.add(listener)
  return () => void listeners.delete(listener)
}

/** The selection of a run, for what React shows of it. */
export const useSelection = (run: number) => useSyncExternalStore(onSelection, () => selectionOf(run))
