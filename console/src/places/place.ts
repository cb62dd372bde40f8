import { useOutletContext } from 'react-router'
import { useBench } from '../api/queries'
import type { Bench, Design, Run, Study } from '../api/types'
import type { Place } from '../shell/Shell'

export const usePlace = () => useOutletContext<Place>()

/** The newest evaluation of the nominal design on the newest revision of the bench. */
export function nominalRun(bench: Bench, runs: Run[]): Run | undefined {
  return runs.find((r) => r.question.kind === 'try' && Object.keys(r.question.design ?? {}).length === 0 && r.revision === bench.revision)
}

/** The bench as it was when a run was started: an answer belongs to its question. */
export function useOwnBench(bench: Bench, run: Run): Bench {
  const own = useBench(bench.name, run.revision)
  return own.data ?? bench
}

/** One evaluation and a verification stand in places of their own; all others are studies of the bench. */
export const isStudy = (run: Run) => run.question.kind !== 'try' && run.question.kind !== 'verify'

/** The study that a run asked. */
export const studyOf = (bench: Bench, run: Run): Study | undefined => bench.studies.find((s) => s.name === run.question.study)

/** The objective's value at a design, by its name. */
export const objectiveAt = (study: Study | undefined, design: Design | undefined): number | undefined =>
  study?.objective === undefined ? undefined : design?.values[study.objective]

/** The unit of a value of the bench, or of an objective. */
export const unitOf = (bench: Bench, name: string | undefined): string | undefined =>
  bench.outputs.find((o) => o.name === name)?.unit ?? bench.inputs.find((i) => i.name === name)?.unit ?? (name && bench.studies.find((s) => s.objective === name)?.objective_unit)

/** Why a run that an address names is not for a place; undefined where it is. */
export function foreign(run: Run, bench: Bench, place: 'study' | 'verify'): string | undefined {
  if (run.bench !== bench.name) return `Run ${run.run} is of the bench ${run.bench}, not of ${bench.name}: choose that bench above to see it.`
  const verifies = run.question.kind === 'verify'
  if (place === 'verify' && !verifies) return `Run ${run.run} is no verification: look at it in ${isStudy(run) ? 'Improve' : 'Model'}.`
  if (place === 'study' && !isStudy(run)) return `Run ${run.run} is no study: look at it in ${verifies ? 'Prove' : 'Model'}.`
  return undefined
}
