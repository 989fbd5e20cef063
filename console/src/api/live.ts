import type { Change } from '../core/changes.ts'

/**
 * One stream of changes for all tabs of a browser: the tab that holds the lock
 * reads it and tells the others. Hidden tabs read nothing and hold nothing; a
 * stream that ends comes back, later each time.
 */

const name = 'firethorn-live'
const first = 1000
const longest = 30_000

/** Whatever happened while nobody told us. */
const anything: Change = { project: '', any: true }

/** Calls changed when something has changed, until stopped; without a project anything may have. */
export function follow(changed: (c: Change) => void): () => void {
  const others = new BroadcastChannel(name)
  others.onmessage = ({ data }: MessageEvent<Change>) => {
    if (!document.hidden) changed(data)
  }
  let leave: (() => void) | undefined
  let away = document.hidden
  const join = () => {
    leave?.()
    leave = undefined
    if (document.hidden) {
      away = true
      return
    }
    const stop = new AbortController()
    leave = () => stop.abort()
    void lead(stop.signal, (c) => {
      changed(c)
      others.postMessage(c)
    })
    if (away) changed(anything)
    away = false
  }
  join()
  document.addEventListener('visibilitychange', join)
  return () => {
    document.removeEventListener('visibilitychange', join)
    leave?.()
    others.close()
  }
}

/** Reads the stream once no other tab does, until the signal. */
async function lead(signal: AbortSignal, changed: (c: Change) => void): Promise<void> {
  const read = () => stream(signal, changed)
  if (!navigator.locks) return read() // a page without TLS has none: then each tab reads by itself
  await navigator.locks.request(name, { signal }, read).catch(() => undefined) // the tab was hidden before it was its turn
}

/** Reads the stream until the signal; opens it again when it ends. */
function stream(signal: AbortSignal, changed: (c: Change) => void): Promise<void> {
  return new Promise((done) => {
    let source: EventSource | undefined
    let timer: ReturnType<typeof setTimeout> | undefined
    let failures = 0
    const open = () => {
      source = new EventSource('/api/live')
      source.addEventListener('change', (e) => {
        failures = 0
        changed(JSON.parse(e.data as string) as Change)
      })
      source.onopen = () => {
        if (failures) changed(anything)
        failures = 0
      }
      // A browser comes back by itself from a broken connection, but not from an answer that is an error.
      source.onerror = () => {
        failures++
        source?.close()
        timer = setTimeout(open, Math.min(longest, first * 2 ** Math.min(failures, 6)) * (0.75 + Math.random() / 2))
      }
    }
    open()
    signal.addEventListener('abort', () => {
      source?.close()
      clearTimeout(timer)
      done()
    })
  })
}
