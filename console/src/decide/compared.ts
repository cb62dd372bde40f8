import type { EvaluationDetail, NamedCandidate, Output, Requirement } from '../api/types'
import { verdictOf } from '../words'

/** A design that stands beside others, with its evaluation once that is here. */
export type Compared = { key: string; name: string; run: number; evaluation: number; detail?: EvaluationDetail }

/** How a design is named where it has no name. */
export const keyOf = (run: number, evaluation: number) => `${run}:${evaluation}`

/** Reads RUN:EVALUATION; undefined where it is none. */
export function readKey(text: string): { run: number; evaluation: number } | undefined {
  const found = /^\s*(\d+)\s*:\s*(\d+)\s*$/.exec(text)
  return found ? { run: Number(found[1]), evaluation: Number(found[2]) } : undefined
}

/** What a design is called: by the candidate that it is. */
export const nameOf = (candidates: NamedCandidate[], run: number, evaluation: number) =>
  candidates.find((c) => c.run === run && c.evaluation === evaluation)?.name ?? keyOf(run, evaluation)

const isMet = (verdict: string) => verdict === 'met' || verdict === 'met_without_reserve'

/** The requirements that the first design meets and another one misses. */
export function gotWorse(requirements: Requirement[], first: EvaluationDetail, other: EvaluationDetail): Requirement[] {
  return requirements.filter((q) => isMet(verdictOf(first.requirements, q.id)) && verdictOf(other.requirements, q.id) === 'missed')
}

/** The numbers that some design has, in the order of the bench. */
export const valuesOf = (outputs: Output[], designs: Compared[]) => outputs.filter((o) => designs.some((d) => d.detail?.named?.[o.name] !== undefined))
