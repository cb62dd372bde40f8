import { useQueryClient, type QueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { takeRun } from './queries'
import type { Run } from './types'

export type Connection = 'live' | 'lost' | 'asleep'

/** What the tab that listens to the service tells the others. */
type Message = { event: 'run'; run: Run } | { event: 'bench' | 'again' | 'who' } | { event: 'connection'; connection: Connection }

const lockName = 'ropebench-events'

/** What belongs to a bench, and is asked again when that has changed. */
export const ofBenches = ['bench', 'benches', 'files', 'file', 'deck', 'revisions']

function take(queries: QueryClient, message: Message) {
  if (message.event === 'run') takeRun(queries, message.run)
  if (message.event === 'bench') for (const kind of ofBenches) void queries.invalidateQueries({ queryKey: [kind] })
  if (message.event === 'again') void queries.invalidateQueries()
}

/**
 * Listens to the service, until it is ended; whatever happened while nobody could is asked again: before it listened, and while the service
 * was away.
 */
function listen(tell: (message: Message) => void): () => void {
  const source = new EventSource('/v1/events')
  source.onopen = () => {
    tell({ event: 'connection', connection: 'live' })
    tell({ event: 'again' })
  }
  source.onerror = () => tell({ event: 'connection', connection: 'lost' })
  source.addEventListener('run', (event) => tell({ event: 'run', run: JSON.parse(event.data as string) as Run }))
  source.addEventListener('bench', () => tell({ event: 'bench' }))
  source.addEventListener('again', () => tell({ event: 'again' }))
  return () => source.close()
}

/**
 * Keeps what the tab shows as the service says it is. Of all visible tabs of a browser one listens and tells the others: a browser has
 * few connections to one service. Who listens is who holds a lock; a hidden tab gives it back.
 */
export function useLive(): Connection {
  const queries = useQueryClient()
  const [connection, setConnection] = useState<Connection>('asleep')
  useEffect(() => {
    const others = new BroadcastChannel('ropebench')
    let known: Connection = 'asleep'
    let leads = false
    let end: (() => void) | undefined
    const hear = (message: Message) => {
      if (message.event === 'connection') setConnection((known = message.connection))
      else if (message.event === 'who' && leads) others.postMessage({ event: 'connection', connection: known } satisfies Message)
      else take(queries, message)
    }
    others.onmessage = (event) => hear(event.data as Message)
    const tell = (message: Message) => {
      hear(message)
      others.postMessage(message)
    }
    const wake = () => {
      const waiting = new AbortController()
      let release: () => void = () => undefined
      const held = new Promise<void>((done) => (release = done))
      const lead = () => {
        leads = true
        return held.then(listen(tell))
      }
      void navigator.locks
        .request(lockName, { ifAvailable: true }, (lock) => (lock ? lead() : undefined))
        .then(() => (leads || waiting.signal.aborted ? undefined : navigator.locks.request(lockName, { signal: waiting.signal }, lead)))
        .catch(() => undefined) // it was put to sleep while it waited
      others.postMessage({ event: 'who' } satisfies Message)
      end = () => {
        leads = false
        waiting.abort()
        release()
      }
    }
    const look = () => {
      if (document.hidden && end) {
        end()
        end = undefined
        setConnection('asleep')
      } else if (!document.hidden && !end) {
        wake()
        void queries.invalidateQueries() // what happened meanwhile
      }
    }
    wake()
    document.addEventListener('visibilitychange', look)
    return () => {
      document.removeEventListener('visibilitychange', look)
      end?.()
      others.close()
    }
  }, [queries])
  return connection
}
