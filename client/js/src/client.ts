import { exceptionsOf, isError, newID, sendable, symbolsOf, text } from './event.ts'
import type { Attributes, Breadcrumb, Details, ReportedEvent, Severity } from './event.ts'
import { Queue } from './queue.ts'
import type { Send } from './queue.ts'
import { scrub } from './scrub.ts'
import type { ScrubOptions } from './scrub.ts'

export interface Options {
  /** The service's address, for example https://firethorn.example */
  server: string
  /** The project's ingest key. It is public: it can only report. */
  key: string
  /** service.name */
  service?: string
  /** service.version: the release whose symbols were pushed */
  release?: string
  /** deployment.environment.name */
  environment?: string
  /** Attributes of every event. */
  attributes?: Attributes
  /** Changes an event before it leaves; null or undefined drops it. */
  edit?: (event: ReportedEvent) => ReportedEvent | null | undefined
  /** What is taken out of reports beside what always is; false: nothing here, the service does it. */
  scrub?: ScrubOptions | false
  /** Which breadcrumbs are taken by themselves; all are, unless said otherwise. */
  breadcrumbs?: { page?: boolean; clicks?: boolean; requests?: boolean; console?: boolean }
}

/** What is known at one time in one flow: the page's, or a request's. */
export interface Scope {
  attributes: Attributes
  breadcrumbs: Breadcrumb[]
}

export const newScope = (): Scope => ({ attributes: {}, breadcrumbs: [] })

const mostBreadcrumbs = 60
const mostState = 64 << 10

/** The part that browser and Node share. It never throws into the application. */
export class Client {
  queue: Queue | undefined
  options: Options | undefined
  scope: () => Scope
  facts: () => Attributes = () => ({})
  private stateOf: (() => unknown) | undefined
  private readonly reported = new WeakSet<object>()
  private inside = false

  constructor(scope: () => Scope) {
    this.scope = scope
  }

  begin(options: Options, resource: Attributes, send: Send): void {
    this.options = options
    const all: Attributes = { 'telemetry.sdk.name': 'firethorn', 'telemetry.sdk.version': '0.1.0', ...resource }
    const own = { 'service.name': options.service, 'service.version': options.release, 'deployment.environment.name': options.environment }
    for (const [k, v] of Object.entries(own)) if (v) all[k] = v
    this.queue = new Queue(send, () => all)
  }

  /** Runs our own code so that nothing it throws gets out, and nothing it does is reported. */
  guard<T>(fn: () => T): T | undefined {
    if (this.inside) return undefined
    this.inside = true
    try {
      return fn()
    } catch {
      return undefined
    } finally {
      this.inside = false
    }
  }

  report(error: unknown, details: Details = {}): string | undefined {
    return this.guard(() => {
      if (isError(error)) {
        if (this.reported.has(error)) return undefined // reported by hand, then thrown on
        this.reported.add(error)
      }
      const exceptions = exceptionsOf(error)
      return this.put({ ...this.event(details, 'error'), exceptions, ...some('symbols', symbolsOf(exceptions)) })
    })
  }

  message(words: string, details: Details = {}): string | undefined {
    return this.guard(() => this.put({ ...this.event(details, 'info'), message: text(words) }))
  }

  private event(d: Details, severity: Severity): ReportedEvent {
    const scope = this.scope()
    return {
      id: newID(),
      time: new Date().toISOString(),
      severity: d.severity ?? severity,
      ...some('handled', d.handled),
      ...some('message', d.message),
      ...some('grouping', d.grouping),
      ...some('state', this.state()),
      attributes: sendable({ ...this.options?.attributes, ...this.facts(), ...scope.attributes, ...d.attributes }),
      breadcrumbs: scope.breadcrumbs.slice(),
    }
  }

  private state(): unknown {
    try {
      const s = this.stateOf?.()
      return s !== undefined && JSON.stringify(s).length <= mostState ? s : undefined
    } catch {
      return undefined // the application's own function failed; the report is worth more
    }
  }

  private put(e: ReportedEvent): string | undefined {
    const edit = this.options?.edit
    const edited = edit ? edit(e) : e
    if (!edited || !this.queue) return undefined
    // What cannot be written would hold up all behind it: it fails here, alone.
    const clean = this.options?.scrub === false ? (JSON.stringify(edited), edited) : scrub(edited, this.options?.scrub)
    this.queue.add(clean)
    return clean.id
  }

  note(kind: string, message: string, attributes?: Attributes, severity?: Severity): void {
    this.guard(() => {
      const list = this.scope().breadcrumbs
      list.push({ time: new Date().toISOString(), kind, message: text(message).slice(0, 500), ...some('severity', severity), ...some('attributes', attributes && sendable(attributes)) })
      if (list.length > mostBreadcrumbs) list.shift()
    })
  }

  attributes(values: Attributes): void {
    this.guard(() => Object.assign(this.scope().attributes, values))
  }

  user(identity: string | { id?: string; email?: string; name?: string } | null): void {
    this.guard(() => {
      const a = this.scope().attributes
      for (const k of ['id', 'email', 'name'] as const) {
        delete a['user.' + k]
        const v = typeof identity === 'string' ? (k === 'id' ? identity : undefined) : identity?.[k]
        if (v) a['user.' + k] = v
      }
    })
  }

  snapshot(fn: (() => unknown) | undefined): void {
    this.stateOf = fn
  }

  async drain(timeout = 2000): Promise<boolean> {
    const q = this.queue
    if (!q) return true
    let timer: ReturnType<typeof setTimeout> | undefined
    await Promise.race([q.flush(), new Promise((done) => (timer = setTimeout(done, timeout)))])
    clearTimeout(timer)
    return q.waiting.length === 0
  }
}

/** What an application calls, whatever it runs in. */
export const functions = (c: Client) => ({
  /** Reports a thrown value that the application caught. Returns the event's id. */
  report: (error: unknown, details?: Details): string | undefined => c.report(error, { handled: true, ...details }),
  /** Reports a plain message. */
  message: (words: string, details?: Details): string | undefined => c.message(words, details),
  /** Leaves a breadcrumb. */
  note: (kind: string, words: string, attributes?: Attributes): void => c.note(kind, words, attributes),
  /** Says whom all that follows hits; null for nobody. */
  user: (identity: string | { id?: string; email?: string; name?: string } | null): void => c.user(identity),
  /** Adds attributes to all events that follow. */
  attributes: (values: Attributes): void => c.attributes(values),
  /** Gives the function that is asked for the application's state when something is reported. */
  snapshot: (fn: (() => unknown) | undefined): void => c.snapshot(fn),
  /** Waits until all that was reported is stored; false when that took too long (milliseconds). */
  drain: (timeout?: number): Promise<boolean> => c.drain(timeout),
})

const some = <K extends string, V>(k: K, v: V | undefined): { [P in K]?: V } => (v === undefined ? {} : ({ [k]: v } as { [P in K]?: V }))

/** The address events are posted to. */
export const endpoint = (o: Options): string => `${o.server.replace(/\/+$/, '')}/v1/events`

export const retryAfter = (h: Headers): { retryAfter?: number } => {
  const n = Number(h.get('Retry-After'))
  return n > 0 ? { retryAfter: n } : {}
}
