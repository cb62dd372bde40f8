import { useMutation, useQueries, useQuery, useQueryClient } from '@tanstack/react-query'
import { benchPath, request } from './request'
import type { EvaluationDetail, NamedCandidate, Pick } from './types'

export const useCandidates = (bench: string) =>
  useQuery({ queryKey: ['candidates', bench], queryFn: () => request<NamedCandidate[]>('GET', `/v1/candidates?bench=${encodeURIComponent(bench)}`) })

export const usePick = (bench: string) => {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (pick: Pick) => request<NamedCandidate>('PUT', `${benchPath(bench)}/candidates`, pick),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['candidates', bench] }),
  })
}

export const useWithdraw = (bench: string) => {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (name: string) => request<undefined>('DELETE', `${benchPath(bench)}/candidates?name=${encodeURIComponent(name)}`),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['candidates', bench] }),
  })
}

/** Some evaluations, in their order; those that are not here yet are undefined. */
export const useEvaluations = (of: { run: number; evaluation: number }[]) =>
  useQueries({
    queries: of.map(({ run, evaluation }) => ({
      queryKey: ['evaluation', run, evaluation],
      queryFn: () => request<EvaluationDetail>('GET', `/v1/runs/${run}/evaluations/${evaluation}`),
      staleTime: Infinity, // an evaluation never changes
    })),
  })
