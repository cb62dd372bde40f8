import { useMutation, useQuery, useQueryClient, type QueryClient } from '@tanstack/react-query'
import { benchPath, inPath, request, requestBytes } from './request'
import { decodeTable, joinTables, settledRows, type Table } from './table'
import type { Bench, BenchSummary, EvaluationDetail, Kept, KeptFile, Order, Result, Run } from './types'

export const useBenches = () =>
  useQuery({ queryKey: ['benches'], queryFn: () => request<BenchSummary[]>('GET', '/v1/benches') })

export const useBench = (name: string, revision?: number) =>
  useQuery({
    queryKey: ['bench', name, revision],
    queryFn: () => request<Bench>('GET', benchPath(name) + (revision ? `?revision=${revision}` : '')),
  })

/** The later of two states of a run: an answer that comes late never undoes an event. */
const later = (a: Run | undefined, b: Run): Run => (a && a.version > b.version ? a : b)

/** The runs of an answer, each as late as it is known. */
const laterOfEach = (known: Run[] | undefined, answered: Run[]): Run[] => answered.map((run) => later(known?.find((r) => r.run === run.run), run))

export const useRuns = (bench: string) =>
  useQuery({
    queryKey: ['runs', bench],
    structuralSharing: (known, answered) => laterOfEach(known as Run[] | undefined, answered as Run[]),
    queryFn: async () => (await request<{ runs: Run[] }>('GET', `/v1/runs?limit=200&bench=${encodeURIComponent(bench)}`)).runs,
  })

export const useRun = (id: number | undefined) =>
  useQuery({
    queryKey: ['run', id],
    queryFn: () => request<Run>('GET', `/v1/runs/${id}`),
    enabled: id !== undefined,
    structuralSharing: (known, answered) => ({ ...(answered as Run), ...later(known as Run | undefined, answered as Run) }),
  })

/** What a run has found until now: asked again whenever that has changed. */
export const useResult = (run: Run | undefined) =>
  useQuery({
    queryKey: ['result', run?.run, run?.version],
    queryFn: () => request<Result>('GET', `/v1/runs/${run!.run}/result`),
    enabled: run !== undefined,
    staleTime: Infinity,
    placeholderData: (before: Result | undefined) => (before?.run === run?.run ? before : undefined),
  })

export const useEvaluation = (run: number | undefined, evaluation: number | undefined) =>
  useQuery({
    queryKey: ['evaluation', run, evaluation],
    queryFn: () => request<EvaluationDetail>('GET', `/v1/runs/${run}/evaluations/${evaluation}`),
    enabled: run !== undefined && evaluation !== undefined,
    staleTime: Infinity, // an evaluation never changes
    placeholderData: (before) => before, // the curve of the last best stays until the next is here
  })

/** The evaluations of a run whose files were kept. */
export const useKept = (run: number) => useQuery({ queryKey: ['kept', run], queryFn: () => request<Kept[]>('GET', `/v1/runs/${run}/kept`) })

export const useKeptFiles = (run: number, evaluation: number) =>
  useQuery({ queryKey: ['kept', run, evaluation], queryFn: () => request<KeptFile[]>('GET', `/v1/runs/${run}/evaluations/${evaluation}/files`) })

/** How much of a kept file is shown. */
export const shownBytes = 200_000

export const useKeptText = (run: number, evaluation: number, path: string | undefined) =>
  useQuery({
    queryKey: ['kept', run, evaluation, path],
    enabled: path !== undefined,
    queryFn: async () => new TextDecoder().decode((await requestBytes(keptPath(run, evaluation, path!))).slice(0, shownBytes)),
  })

/** Where the service keeps a file that an evaluation has left. */
export const keptPath = (run: number, evaluation: number, path: string) =>
  `/v1/runs/${run}/evaluations/${evaluation}/files/${inPath(path)}`

/**
 * The evaluations of a run by columns, in the order of their numbers. While the run goes on, only what is new is asked:
 * everything behind the last number before the first gap, since evaluations of an external solver end out of order.
 */
export const useTable = (run: Run | undefined) => {
  const queries = useQueryClient()
  return useQuery({
    queryKey: ['table', run?.run, run?.evaluations],
    enabled: run !== undefined,
    staleTime: Infinity,
    structuralSharing: false, // typed arrays are compared number by number otherwise
    placeholderData: (before: { run: number; table: Table } | undefined) => (before?.run === run?.run ? before : undefined),
    queryFn: async () => {
      const known = newestTable(queries, run!.run)
      const settled = known ? settledRows(known) : 0
      const more = decodeTable(await requestBytes(`/v1/runs/${run!.run}/columns?after=${settled}`))
      return { run: run!.run, table: known ? joinTables(known, settled, more) : more }
    },
    select: (data) => data.table,
  })
}

function newestTable(queries: QueryClient, run: number): Table | undefined {
  const all = queries.getQueriesData<{ table: Table }>({ queryKey: ['table', run] }).map(([, data]) => data?.table)
  return all.filter((table) => table !== undefined).sort((a, b) => b.rows - a.rows)[0]
}

/** Puts a run that has changed into everything that shows it. */
export function takeRun(queries: QueryClient, run: Run) {
  queries.setQueryData<Run>(['run', run.run], (before) => ({ ...later(before, run), changes: before?.changes, newest: before?.newest }))
  queries.setQueryData<Run[]>(['runs', run.bench], (before) => {
    if (!before) return before
    const known = before.some((r) => r.run === run.run)
    return known ? before.map((r) => (r.run === run.run ? later(r, run) : r)) : [run, ...before]
  })
}

export const useStartRun = (bench: string) => {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (order: Order) => request<Run>('POST', `${benchPath(bench)}/runs`, order),
    onSuccess: (run) => takeRun(queries, run),
  })
}

export const useControlRun = (id: number) => {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (action: 'stop' | 'pause' | 'resume') => request<Run>('POST', `/v1/runs/${id}/${action}`),
    onSuccess: (run) => takeRun(queries, run),
  })
}
