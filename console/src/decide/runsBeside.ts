import type { Bench, Convergence, Run } from '../api/types'
import type { Line } from '../parts/Lines'
import { show } from '../words'

/** The searches among the runs of a bench, the newest first. */
export const searchesOf = (bench: Bench, runs: Run[]): Run[] =>
  runs.filter((run) => {
    const study = bench.studies.find((s) => s.name === run.question.study)
    return study !== undefined && study.searches && study.kind !== 'sweep' && run.question.kind === study.kind
  })

/** Those that stand beside each other at first: the newest ones of the study that was run last. */
export const suggested = (searches: Run[], most: number): number[] =>
  searches.filter((run) => run.question.study === searches[0]?.question.study).slice(0, most).map((run) => run.run)

/** What a run was asked besides its study: another seed, inputs held or freed, another start, a budget of its own. */
export function askedBesides({ question: q, revision }: Run, newest: number): string {
  const says = [`seed ${q.seed}`, ...(q.besides ?? [])]
  if (q.start) says.push(q.about ?? 'from another start')
  if (q.evaluations) says.push(`${show(q.evaluations)} evaluations`)
  if (revision !== newest) says.push(`revision ${revision}`)
  return says.join(', ')
}

const colours: Line['colour'][] = ['teal', 'plum', 'ink', 'ochre', 'slate']

/** The best feasible value so far of each search, as steps that go on to its last evaluation; one that found nothing feasible has none. */
export function linesOf(all: { run: number; steps: Convergence | undefined }[]): Line[] {
  return all.flatMap(({ run, steps }, i) => {
    const line: Line = { name: `run ${run}`, x: [], y: [], colour: colours[i % colours.length]!, width: 1.8 }
    for (const step of steps?.steps ?? []) {
      if (!step.feasible || step.objective === undefined) continue
      line.x.push(step.evaluation, step.evaluation)
      line.y.push(line.y.at(-1) ?? step.objective, step.objective)
    }
    if (line.x.length === 0) return []
    line.x.push(steps!.evaluations)
    line.y.push(line.y.at(-1)!)
    return [{ ...line, nameAt: { i: line.x.length - 1, above: i % 2 === 0 } }]
  })
}

/** After how many evaluations a search was as near to the best of all as a share of its size; undefined: never. */
export function reachedAt(steps: Convergence | undefined, best: number, share: number): number | undefined {
  const near = share * Math.abs(best)
  return steps?.steps.find((s) => s.feasible && s.objective !== undefined && Math.abs(s.objective - best) <= near)?.evaluation
}

/** The best feasible objective of all searches. */
export function bestOf(all: (Convergence | undefined)[]): number | undefined {
  const values = all.flatMap((c) => (c?.steps ?? []).filter((s) => s.feasible && s.objective !== undefined).map((s) => s.objective!))
  if (values.length === 0) return undefined
  return all.some((c) => c?.maximize) ? Math.max(...values) : Math.min(...values)
}
