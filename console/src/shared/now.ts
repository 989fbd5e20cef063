import { useSyncExternalStore } from 'react'

const every = 30_000 // milliseconds
let now = Date.now()
const listeners = new Set<() => void>()
let timer: ReturnType<typeof setInterval> | undefined

function listen(changed: () => void): () => void {
  listeners.add(changed)
  if (timer === undefined) {
    now = Date.now() // nobody looked at the clock for a while
    timer = setInterval(() => {
      now = Date.now()
      for (const l of listeners) l()
    }, every)
  }
  return () => {
    listeners.delete(changed)
    if (listeners.size > 0) return
    clearInterval(timer)
    timer = undefined
  }
}

/** The time, in milliseconds: one clock for the whole page, so that all that is "2 minutes ago" says so at once. */
export function useNow(): number {
  return useSyncExternalStore(listen, () => now)
}
