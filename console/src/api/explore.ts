import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { atWork } from '../words'
import { request } from './request'
import type { Exploration, Fit, Front, LeavingOut, PredictionOrder, Predictions, Result, Run, Selection, Surface, SurfaceOrder } from './types'

/**
 * How many evaluations of a run are explored: all that it has, or while it is at work a step of half as many more, so that not every new one
 * is fitted anew.
 */
export function explored(run: Run): number {
  if (!atWork(run)) return run.evaluations
  let step = 8
  while (step * 1.5 <= run.evaluations) step = Math.floor(step * 1.5)
  return step
}

const runPath = (run: number) => `/v1/runs/${run}`

/** What the evaluations of a run say: asked again when there are more of them. */
export const useExploration = (run: Run, wanted: boolean) =>
  useQuery({
    queryKey: ['exploration', run.run, explored(run)],
    queryFn: () => request<Exploration>('GET', `${runPath(run.run)}/exploration`),
    enabled: wanted && run.usable > 0,
    staleTime: Infinity,
    placeholderData: (before, query) => (query?.queryKey[1] === run.run ? before : undefined),
  })

/** How many designs are feasible, and what stands in the way of more: without any fit, so at once. */
export const useObstacles = (run: Run) =>
  useQuery({
    queryKey: ['obstacles', run.run, explored(run)],
    queryFn: () => request<Exploration['obstacles']>('GET', `${runPath(run.run)}/obstacles`),
    staleTime: Infinity,
    placeholderData: (before, query) => (query?.queryKey[1] === run.run ? before : undefined),
  })

/** The front of another run by the objectives of a trade-off. */
export const useFront = (run: number | undefined, { objectives, most }: NonNullable<Result['tradeoff']>) =>
  useQuery({
    queryKey: ['front', run, objectives, most],
    queryFn: () => {
      const query = new URLSearchParams(objectives.map((name, k) => [most[k] ? 'maximize' : 'minimize', name]))
      return request<Front>('GET', `${runPath(run!)}/front?${query}`)
    },
    enabled: run !== undefined,
    retry: false,
  })

/** The surrogate of a value. */
export const useFit = (run: Run, of: string) =>
  useQuery({
    queryKey: ['fit', run.run, explored(run), of],
    queryFn: () => request<Fit>('GET', `${runPath(run.run)}/fit?of=${encodeURIComponent(of)}`),
    staleTime: Infinity,
    retry: false,
  })

/** A value over two inputs; the surface before stays until the next is here. */
export const useSurface = (run: Run, order: SurfaceOrder) =>
  useQuery({
    queryKey: ['surface', run.run, explored(run), order],
    queryFn: () => request<Surface>('POST', `${runPath(run.run)}/surface`, order),
    staleTime: Infinity,
    placeholderData: keepPreviousData,
    retry: false,
  })

/** What surrogates predict. */
export const usePredictions = (run: Run, order: PredictionOrder) =>
  useQuery({
    queryKey: ['predictions', run.run, explored(run), order],
    queryFn: () => request<Predictions>('POST', `${runPath(run.run)}/predictions`, order),
    staleTime: Infinity,
    placeholderData: keepPreviousData,
    retry: false,
  })

/** Leaves an evaluation out of the fit of a value, or takes it back in; what was fitted is asked again. */
export const useLeaveOut = (run: number) => {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (order: LeavingOut) => request<undefined>('PUT', `${runPath(run)}/left-out`, order),
    onSuccess: () => {
      for (const kind of ['exploration', 'fit', 'surface', 'predictions']) void queries.invalidateQueries({ queryKey: [kind] })
    },
  })
}

/** Selections that were named. */
export const useSelections = (run: number) =>
  useQuery({ queryKey: ['selections', run], queryFn: () => request<Selection[]>('GET', `${runPath(run)}/selections`) })

export const useKeepSelection = (run: number) => {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: ({ name, evaluations }: { name: string; evaluations?: number[] }) =>
      evaluations
        ? request<undefined>('PUT', `${runPath(run)}/selections`, { name, evaluations } satisfies Selection)
        : request<undefined>('DELETE', `${runPath(run)}/selections?name=${encodeURIComponent(name)}`),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['selections', run] }),
  })
}

/** The evaluations that meet a condition. */
export const useMatching = (run: number) =>
  useMutation({ mutationFn: (where: string) => request<{ evaluations: number[] }>('GET', `${runPath(run)}/matching?where=${encodeURIComponent(where)}`) })

/** Gives a sample more points. */
export const useExtend = (run: number) =>
  useMutation({ mutationFn: (more: number) => request<Run>('POST', `${runPath(run)}/extend`, { more }) })

/** Where a figure is drawn for a file. */
export const figurePath = (run: number, query: Record<string, string>) =>
  `${runPath(run)}/figure?${new URLSearchParams(query).toString()}`

/** The numbers behind a figure, a row for each line of its table. */
export const useNumbers = (path: string) =>
  useQuery({
    queryKey: ['numbers', path],
    staleTime: Infinity,
    queryFn: async () => {
      const response = await fetch(path)
      if (!response.ok) throw new Error(`The numbers could not be had: the service answered ${response.status}.`)
      return (await response.text()).trim().split('\n').map((line) => line.split(','))
    },
  })
