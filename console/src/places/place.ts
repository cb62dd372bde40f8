import { useOutletContext } from 'react-router'
import type { Bench, Best, Run, Study } from '../api/types'
import type { Place } from '../shell/Shell'

export const usePlace = () => useOutletContext<Place>()

/** The newest evaluation of the nominal design on the newest revision of the bench. */
export function nominalRun(bench: Bench, runs: Run[]): Run | undefined {
  return runs.find((r) => r.question.kind === 'try' && Object.keys(r.question.design ?? {}).length === 0 && r.revision === bench.revision)
}

/** The study that a run asked. */
export const studyOf = (bench: Bench, run: Run): Study | undefined => bench.studies.find((s) => s.name === run.question.study)

/** The objective's value at a design, by its name. */
export const objectiveAt = (study: Study | undefined, best: Best | undefined): number | undefined =>
  study?.objective === undefined ? undefined : best?.values[study.objective]

/** The unit of a value of the bench. */
export const unitOf = (bench: Bench, name: string | undefined): string | undefined =>
  bench.outputs.find((o) => o.name === name)?.unit ?? bench.inputs.find((i) => i.name === name)?.unit
