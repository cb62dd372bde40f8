import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { takeRun } from './queries'
import type { Run } from './types'

export type Connection = 'live' | 'lost' | 'asleep'

/** Keeps what the tab shows as the service says it is: one stream of events, closed while the tab is hidden. */
export function useLive(): Connection {
  const queries = useQueryClient()
  const [connection, setConnection] = useState<Connection>('asleep')
  useEffect(() => {
    let source: EventSource | undefined
    const open = () => {
      source = new EventSource('/v1/events')
      source.onopen = () => setConnection('live')
      source.onerror = () => setConnection('lost')
      source.addEventListener('run', (event) => takeRun(queries, JSON.parse(event.data as string) as Run))
      source.addEventListener('bench', () => {
        void queries.invalidateQueries({ queryKey: ['bench'] })
        void queries.invalidateQueries({ queryKey: ['benches'] })
      })
      source.addEventListener('again', () => void queries.invalidateQueries())
    }
    const look = () => {
      if (document.hidden) {
        source?.close()
        source = undefined
        setConnection('asleep')
      } else if (!source) {
        open()
        void queries.invalidateQueries() // what happened meanwhile
      }
    }
    open()
    document.addEventListener('visibilitychange', look)
    return () => {
      document.removeEventListener('visibilitychange', look)
      source?.close()
    }
  }, [queries])
  return connection
}
