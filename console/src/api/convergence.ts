import { useQueries } from '@tanstack/react-query'
import { explored } from './explore'
import { request } from './request'
import type { Convergence, Run } from './types'

/** How the best designs of searches came to be: asked again when there are more evaluations. */
export const useConvergences = (runs: Run[]) =>
  useQueries({
    queries: runs.map((run) => ({
      queryKey: ['convergence', run.run, run.state, explored(run)],
      queryFn: () => request<Convergence>('GET', `/v1/runs/${run.run}/convergence`),
      staleTime: Infinity,
    })),
  })
