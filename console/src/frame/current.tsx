import { useQueryClient } from '@tanstack/react-query'
import type { QueryClient } from '@tanstack/react-query'
import { useEffect, useSyncExternalStore } from 'react'
import { notCurrent } from '../core/current.ts'

const every = 10_000

const askAgain = (client: QueryClient) => void client.refetchQueries({ type: 'active', predicate: (q) => q.state.status === 'error' })

/**
 * Says that a page is not current, and since when, while the service does not
 * answer: what is on the screen stays. It asks again by itself.
 */
export function NotCurrent() {
  const client = useQueryClient()
  const cache = client.getQueryCache()
  const read = () => notCurrent(cache.findAll({ type: 'active' }).map((q) => q.state))
  const since = useSyncExternalStore((l) => cache.subscribe(l), read)
  useEffect(() => {
    if (!since) return
    const t = setInterval(() => askAgain(client), every)
    return () => clearInterval(t)
  }, [since, client])
  if (!since) return null
  const time = new Date(since).toLocaleTimeString([], { hour: '2-digit', minute: '2-digit' })
  return (
    <p role="status" className="flex flex-wrap items-center gap-x-3 border-b border-base-300 bg-base-100 px-(--edge) py-1 text-warning">
      Not current since {time}: the service does not answer. What you see is kept; this page asks again by itself.
      <button className="btn btn-outline btn-xs font-normal" onClick={() => askAgain(client)}>Ask now</button>
    </p>
  )
}
