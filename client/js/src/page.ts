import { Client, endpoint, newScope, retryAfter } from './client.ts'
import type { Options } from './client.ts'
import type { ReportedEvent } from './event.ts'
import type { Keeper, Send } from './outbox.ts'
import { Session } from './session.ts'

/** The one client of this page or worker, shared with the parts that are loaded when they are needed. */
export const page = newScope()
export const client = new Client(() => page)
page.session = new Session()
/** False in a worker. */
export const hasDocument = typeof document === 'object'

/** Fetch as it was when reporting began; and how reports travel by it. */
export let plainFetch: typeof fetch
export function sender(o: Options): Send {
  plainFetch = globalThis.fetch.bind(globalThis)
  // The key stands in the address and the body is text: a request without a preflight.
  const key = `?key=${encodeURIComponent(o.key)}`
  return async (path, body, last) => {
    const res = await plainFetch(endpoint(o, path) + key, { method: 'POST', body, keepalive: last, headers: { 'Content-Type': 'text/plain' }, credentials: 'omit', referrerPolicy: 'no-referrer', signal: AbortSignal.timeout(10_000) })
    return { status: res.status, ...retryAfter(res.headers) }
  }
}

const mostKept = 400_000

/** Keeps what waits in the origin's store, at most 400,000 characters of it. */
export function storage(o: Options): Keeper {
  const prefix = (list: string) => `firethorn.${o.key.slice(-8)}.${list}.`
  let size = 0
  const sizeOf = (key: string): number => localStorage[key]?.length ?? 0
  return {
    // Ids begin with the time: their order is that in which things happened.
    load: (list) => {
      const out: [string, string][] = []
      for (const k of Object.keys(localStorage).sort()) {
        if (!k.startsWith(prefix(list))) continue
        const text = localStorage[k] as string
        try {
          JSON.parse(text)
          out.push([k.slice(prefix(list).length), text])
          size += text.length
        } catch {
          localStorage.removeItem(k)
        }
      }
      return out
    },
    save: (list, id, text) => {
      const key = prefix(list) + id
      const after = size - sizeOf(key) + text.length
      if (after > mostKept) return
      localStorage[key] = text
      size = after
    },
    drop: (list, id) => {
      size -= sizeOf(prefix(list) + id)
      localStorage.removeItem(prefix(list) + id)
    },
  }
}

const secret = /("[^"]*(?:passw|secret|token|cookie|authorization|credential|api.?key|card.?n|iban)[^"]*":)"(?:[^"\\]|\\.)*"|\beyJ[\w-]+\.[\w-]+\.[\w-]*|((?:password|secret|token|key)=)[^\s"&]+/gi

/** Takes out what most surely is secret: for a page that ends before the whole of scrubbing is loaded, or where it cannot be. */
export const scrubRoughly = (e: ReportedEvent): ReportedEvent =>
  JSON.parse(JSON.stringify(e).replace(secret, (_, name?: string, head?: string) => (name ? `${name}"[scrubbed]"` : `${head ?? ''}[scrubbed]`))) as ReportedEvent
