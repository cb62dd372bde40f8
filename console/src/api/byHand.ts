import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { benchPath, request } from './request'
import type { Bench, NamedCandidate, Run, TriedByHand, Turns, Value } from './types'

export type ByHand = Record<string, Value>

/** The last of some values that was settled: the next is taken when the one before was answered, so that at most one question is open. */
function useLatest<T>(wanted: T, busy: boolean): T {
  const [taken, setTaken] = useState(wanted)
  if (!busy && taken !== wanted) setTaken(wanted)
  return taken
}

/** What the solver gives for the design that is wanted, or for the one before while it works. */
export function useTriedByHand(bench: Bench, wanted: ByHand, enabled: boolean) {
  const [busy, setBusy] = useState(false)
  const design = useLatest(wanted, busy)
  const query = useQuery({
    queryKey: ['by hand', bench.name, bench.revision, design],
    queryFn: () => request<TriedByHand>('POST', `${benchPath(bench.name)}/what-if`, { design }),
    enabled,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
  })
  if (busy !== query.isFetching) setBusy(query.isFetching)
  return { ...query, settled: design === wanted && !query.isFetching }
}

/** What each input does for a requirement of a design; '' for the one of the least margin. */
export const useTurns = (bench: Bench, design: ByHand, requirement: string, enabled: boolean) =>
  useQuery({
    queryKey: ['turns', bench.name, bench.revision, design, requirement],
    queryFn: () => request<Turns>('POST', `${benchPath(bench.name)}/turns`, { design, requirement }),
    enabled,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
  })

const askedEvery = 200 // ms, while one evaluation is waited for

/** Evaluates a design in a run of its own, and gives it a name. */
export const useKeepByHand = (bench: string) => {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: async ({ design, name, because }: { design: ByHand; name: string; because: string }) => {
      let run = await request<Run>('POST', `${benchPath(bench)}/runs`, { study: 'try', design })
      while (run.state === 'queued' || run.state === 'running') {
        await new Promise((wake) => setTimeout(wake, askedEvery))
        run = await request<Run>('GET', `/v1/runs/${run.run}`)
      }
      return request<NamedCandidate>('PUT', `${benchPath(bench)}/candidates`, { run: run.run, evaluation: 1, name, because })
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ['candidates', bench] }),
  })
}
