import { Client, endpoint, newScope, retryAfter } from './client.ts'
import type { Options } from './client.ts'
import type { ReportedEvent } from './event.ts'
import type { Keeper, Send } from './outbox.ts'

/** The one client of this page or worker, shared with the parts that are loaded when they are needed. */
export const page = newScope()
export const client = new Client(() => page)
/** False in a worker, and in runtimes that are no browser. */
export const hasDocument = typeof document === 'object'

/** Fetch as it was when reporting began; and how reports travel by it. */
export let plainFetch: typeof fetch
export function sender(o: Options): Send {
  plainFetch = globalThis.fetch.bind(globalThis)
  // The key stands in the address and the body is text: a request without a preflight.
  const key = `?key=${encodeURIComponent(o.key)}`
  return async (path, body, last) => {
    const res = await plainFetch(endpoint(o, path) + key, {
      method: 'POST',
      body,
      keepalive: last,
      headers: { 'Content-Type': 'text/plain' },
      credentials: 'omit',
      referrerPolicy: 'no-referrer',
      signal: AbortSignal.timeout?.(10_000),
    })
    return { status: res.status, ...retryAfter(res.headers) }
  }
}

const mostKept = 400_000

/** Keeps what waits in the origin's store, at most 400,000 characters of it. */
export function storage(o: Options): Keeper {
  const ours = `firethorn.${o.key.slice(-8)}.`
  const keys = (list: string) => Object.keys(localStorage).filter((k) => k.startsWith(ours + list))
  return {
    // Ids begin with the time: their order is that in which things happened.
    load: (list) =>
      keys(list)
        .sort()
        .flatMap((k) => {
          try {
            JSON.parse(localStorage[k])
            return [[k.slice(ours.length + list.length + 1), localStorage[k]]]
          } catch {
            localStorage.removeItem(k)
            return []
          }
        }),
    save: (list, id, text) => {
      if (keys('').reduce((sum, k) => sum + localStorage[k].length, text.length) <= mostKept)
        localStorage[`${ours + list}.${id}`] = text
    },
    drop: (list, id) => localStorage.removeItem(`${ours + list}.${id}`),
  }
}

const secret =
  /("[^"]*(?:passw|secret|token|cookie|authorization|credential|api.?key|card.?n|iban)[^"]*":)"(?:[^"\\]|\\.)*"|\beyJ[\w-]+\.[\w-]+\.[\w-]*|((?:password|secret|token|key)=)[^\s"&]+/gi

/**
 * Takes out what most surely is secret: for a page that ends before the whole of scrubbing is loaded, or where
 * it cannot be.
 */
export const scrubRoughly = (e: ReportedEvent): ReportedEvent =>
  JSON.parse(
    JSON.stringify(e).replace(secret, (_, name?: string, head?: string) =>
      name ? `${name}"[scrubbed]"` : `${head ?? ''}[scrubbed]`,
    ),
  ) as ReportedEvent
