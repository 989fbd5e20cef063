import { useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'
import { follow } from '../api/live.ts'
import { asksAgain } from '../core/changes.ts'
import type { Change } from '../core/changes.ts'

const every = 2000

// The versions that my decisions made: what comes back of them by the stream,
// once and soon, is no news. What happens to the issue later is, also where it
// makes no new version.
const mine = new Map<string, { version: number; at: number }>()
const soon = 5000

/** Remembers the version of an issue that a decision of mine made. */
export const knowVersion = (id: string, version: number): void => void mine.set(id, { version, at: Date.now() })

/** A change without what I did myself. */
function others(c: Change): Change {
  const decided = Object.entries(c.decided ?? {}).filter(([id, version]) => {
    const known = mine.get(id)
    mine.delete(id)
    return !known || known.version !== version || Date.now() - known.at > soon
  })
  return { ...c, decided: Object.fromEntries(decided) }
}

/** Asks again for what the page shows and what has changed, at most every two seconds, and not in a hidden tab. */
export function useLive(): void {
  const client = useQueryClient()
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout> | undefined
    let last = 0
    let due: Change[] = []
    const ask = () => {
      last = Date.now()
      timer = undefined
      const now = due
      due = []
      void client.invalidateQueries({ predicate: (q) => now.some((c) => asksAgain(q.queryKey, c)) })
    }
    const stop = follow((c) => {
      due.push(others(c))
      timer ??= setTimeout(ask, Math.max(0, last + every - Date.now()))
    })
    return () => {
      stop()
      clearTimeout(timer)
    }
  }, [client])
}
