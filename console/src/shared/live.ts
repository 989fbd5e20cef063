import { useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'
import { follow } from '../api/live.ts'
import { byOthers } from '../api/mine.ts'
import { asksAgain } from '../core/changes.ts'
import type { Change } from '../core/changes.ts'

const every = 2000

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
    let left = false
    const stop = follow((c) => void byOthers(c).then((news) => {
      if (left) return
      due.push(news)
      timer ??= setTimeout(ask, Math.max(0, last + every - Date.now()))
    }))
    return () => {
      left = true
      stop()
      clearTimeout(timer)
    }
  }, [client])
}
