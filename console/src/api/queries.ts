import { useMutation, useQuery, useQueryClient, type QueryClient } from '@tanstack/react-query'
import { benchPath, request } from './request'
import type { Bench, BenchSummary, Order, Point, PointDetail, Points, Run } from './types'

export const useBenches = () =>
  useQuery({ queryKey: ['benches'], queryFn: () => request<BenchSummary[]>('GET', '/v1/benches') })

export const useBench = (name: string, revision?: number) =>
  useQuery({
    queryKey: ['bench', name, revision],
    queryFn: () => request<Bench>('GET', benchPath(name) + (revision ? `?revision=${revision}` : '')),
  })

export const useRuns = (bench: string) =>
  useQuery({
    queryKey: ['runs', bench],
    queryFn: async () => (await request<{ runs: Run[] }>('GET', `/v1/runs?limit=200&bench=${encodeURIComponent(bench)}`)).runs,
  })

export const useRun = (id: number | undefined) =>
  useQuery({ queryKey: ['run', id], queryFn: () => request<Run>('GET', `/v1/runs/${id}`), enabled: id !== undefined })

export const usePoint = (run: number | undefined, evaluation: number | undefined) =>
  useQuery({
    queryKey: ['point', run, evaluation],
    queryFn: () => request<PointDetail>('GET', `/v1/runs/${run}/points/${evaluation}`),
    enabled: run !== undefined && evaluation !== undefined,
    staleTime: Infinity, // an evaluation never changes
    placeholderData: (before) => before, // the curve of the last best stays until the next is here
  })

/** How many evaluations are drawn at most; more make a figure slow and no clearer. */
export const mostDrawn = 20_000
const pageSize = 10_000

/**
 * The evaluations of a run in the order of their numbers. While the run goes on, only what is new is asked: everything
 * behind the last number before the first gap, since evaluations of an external solver end out of order.
 */
export const usePoints = (run: Run | undefined) => {
  const queries = useQueryClient()
  return useQuery({
    queryKey: ['points', run?.run, run?.evaluations],
    enabled: run !== undefined,
    staleTime: Infinity,
    placeholderData: (before: Points | undefined) => before,
    queryFn: async () => {
      const known = newestPoints(queries, run!.run)
      const settled = known ? beforeGap(known.points) : []
      let page = await request<Points>('GET', `/v1/runs/${run!.run}/points?limit=${pageSize}&after=${settled.length}`)
      const points = [...settled, ...page.points]
      while (page.next && points.length < mostDrawn) {
        page = await request<Points>('GET', `/v1/runs/${run!.run}/points?limit=${pageSize}&after=${page.next}`)
        points.push(...page.points)
      }
      return { inputs: page.inputs, columns: page.columns, points }
    },
  })
}

function newestPoints(queries: QueryClient, run: number): Points | undefined {
  const all = queries.getQueriesData<Points>({ queryKey: ['points', run] }).map(([, data]) => data)
  return all.filter((data) => data !== undefined).sort((a, b) => b.points.length - a.points.length)[0]
}

function beforeGap(points: Point[]): Point[] {
  const gap = points.findIndex((point, i) => point.evaluation !== i + 1)
  return gap < 0 ? points : points.slice(0, gap)
}

/** Puts a run that has changed into everything that shows it. */
export function takeRun(queries: QueryClient, run: Run) {
  queries.setQueryData<Run>(['run', run.run], (before) => ({ ...run, changes: before?.changes, newest: before?.newest }))
  queries.setQueryData<Run[]>(['runs', run.bench], (before) => {
    if (!before) return before
    const known = before.some((r) => r.run === run.run)
    return known ? before.map((r) => (r.run === run.run ? run : r)) : [run, ...before]
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
