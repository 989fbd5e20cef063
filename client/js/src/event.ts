/** The wire format of docs/event-format.md, as far as this client writes it. */

export type Value = string | number | boolean | string[] | number[] | boolean[]
export type Attributes = Record<string, unknown>
export type Severity = 'trace' | 'debug' | 'info' | 'warn' | 'error' | 'fatal'

export interface Exception {
  type?: string
  message?: string
  stack?: string
  parent?: number
  relation?: 'cause' | 'member' | 'suppressed'
  thrown?: string
}

export interface Breadcrumb {
  time: string
  kind: string
  message: string
  severity?: Severity
  attributes?: Attributes
}

export interface ReportedEvent {
  id: string
  time: string
  severity: Severity
  handled?: boolean
  message?: string
  exceptions?: Exception[]
  attributes: Attributes
  state?: unknown
  breadcrumbs: Breadcrumb[]
  symbols?: { file: string; debug_id: string }[]
  grouping?: { extend?: string[]; replace?: string[] }
  threads?: { 'thread.id'?: string; 'thread.name'?: string; blamed?: boolean; waiting_on?: string; stack?: string }[]
  stands_for?: number
  resource?: Attributes
  scrubbed?: Scrubbed[]
}

/** What was taken out of an event, at one place by one rule. */
export interface Scrubbed {
  rule: string
  where: string
  count: number
}

/** What can be said about one report. */
export interface Details {
  severity?: Severity
  /** false: nothing in the application caught it. */
  handled?: boolean
  attributes?: Attributes
  /** A message beside the exception's own. */
  message?: string
  grouping?: { extend?: string[]; replace?: string[] }
}

/** What a thrown value says: its exceptions, and attributes beside them. */
export interface Described {
  exceptions: Exception[]
  attributes?: Attributes
}

/** A thrown value alone: until the part is loaded that reads all it carries (thrown.ts). */
export const describeRoughly = (v: unknown): Described => ({
  exceptions: [
    isError(v) ? { type: v.name, message: v.message, stack: v.stack! } : { thrown: typeof v, message: text(v) },
  ],
})

export function isError(v: unknown): v is Error {
  try {
    return looksLikeError(v)
  } catch {
    return false // a getter of the application's throws
  }
}

function looksLikeError(v: unknown): v is Error {
  return (
    v instanceof Error ||
    (typeof v === 'object' &&
      v !== null &&
      typeof (v as Error).stack === 'string' &&
      typeof (v as Error).message === 'string')
  )
}

/** Any value as a text of bounded length. */
export function text(v: unknown): string {
  try {
    const s = typeof v === 'object' && v && !isError(v) ? JSON.stringify(v) : String(v)
    return s.slice(0, 8192)
  } catch {
    return `[${typeof v}]`
  }
}

/** Attributes of which all can be written as JSON: a value that cannot becomes text. */
export function sendable(values: Attributes): Attributes {
  const out: Attributes = {}
  for (const [k, v] of Object.entries(values)) {
    try {
      JSON.stringify(v)
      out[k] = v
    } catch {
      out[k] = text(v)
    }
  }
  return out
}

/** A UUID of version 7 (RFC 9562, section 5.7): the time in milliseconds, then what is drawn. */
export function newID(): string {
  const time = Date.now().toString(16).padStart(12, '0')
  const bytes = new Uint8Array(10)
  try {
    crypto.getRandomValues(bytes)
  } catch {
    bytes.forEach((_, i) => (bytes[i] = Math.random() * 256)) // a runtime without it: an id need not be a secret
  }
  const drawn = Array.from(bytes, (x) => x.toString(16).padStart(2, '0')).join('')
  return `${time.slice(0, 8)}-${time.slice(8)}-7${drawn.slice(0, 3)}-${'89ab'[parseInt(drawn[3]!, 16) & 3]}${drawn.slice(4, 7)}-${drawn.slice(7, 19)}`
}
