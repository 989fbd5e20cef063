import { describeRoughly, isError, newID, sendable, text } from './event.ts'
import type { Attributes, Breadcrumb, Described, Details, ReportedEvent, Severity } from './event.ts'
import { Kinds } from './kinds.ts'
import { Outbox } from './outbox.ts'
import type { Keeper, Send } from './outbox.ts'
import type { ScrubOptions } from './scrub.ts'
import type { Session } from './session.ts'

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
  /** Which share of events of a kind is sent, after the first (0 to 1). Those that are sent stand for the others. */
  share?: number
  /** What a session is: a page's life in the browser; in Node the process, or each request that wrap handles. */
  sessions?: boolean | 'process' | 'request'
  /**
   * After how long without a turn (milliseconds) the page or event loop counts as hanging: 5000, unless said
   * otherwise.
   */
  hangs?: number | false
  /** The page is served with Document-Policy: js-profiling, so that the whole stack of a hang is known. */
  hangStacks?: boolean
  /**
   * false: no worker watches the page. A Content-Security-Policy without worker-src blob: wants that; a page
   * that never comes back is not reported then.
   */
  hangWorker?: boolean
  /** Says on the console what the client does. A wrong key or a refused origin is said in any case, once. */
  debug?: boolean
  /**
   * Node: the directory where events wait for the next start; false keeps nothing on disk. By default it lies in
   * the user's cache directory.
   */
  dir?: string | false
  /**
   * Node: how long (milliseconds) the end of a process may wait until its last events are stored: 1000, unless
   * said otherwise.
   */
  exitWait?: number
}

/** What is known at one time in one flow: the page's, or a request's. */
export interface Scope {
  attributes: Attributes
  breadcrumbs: Breadcrumb[]
  session?: Session | undefined
}

export const newScope = (): Scope => ({ attributes: {}, breadcrumbs: [] })

/** Where an event keeps the value it tells of; JSON leaves it out. */
const thrown = Symbol()
type Reported = ReportedEvent & { [thrown]?: unknown }

export type Scrub = (e: ReportedEvent, options?: ScrubOptions) => ReportedEvent

const mostBreadcrumbs = 60
const mostState = 64 << 10
const rooms = { events: 60, sessions: 500, feedback: 20 }

/** The part that browser and Node share. It never throws into the application. */
export class Client {
  options: Options | undefined
  events!: Outbox
  sessions!: Outbox
  feedback!: Outbox
  scope: () => Scope
  facts: () => Attributes = () => ({})
  resource: Attributes = {}
  /** How secrets are taken out; until it is known events wait. */
  scrub: Scrub | undefined
  /** Ends when the part that takes them out is loaded. */
  loading: Promise<void> | undefined
  /** The id of the event reported last. */
  last: string | undefined
  noted: (() => void) | undefined
  /** Says on the console what the client meets with (say.ts). */
  answered: ((list: string, status: number, n: number) => void) | undefined
  /** Adds what is found out late. */
  complete: ((e: ReportedEvent) => void) | undefined
  private kinds!: Kinds<ReportedEvent>
  /** Reads a thrown value. */
  describe: (thrown: unknown) => Described = describeRoughly
  private early: Reported[] = []
  private stateOf: (() => unknown) | undefined
  private readonly reported = new WeakSet<object>()
  private inside = false

  constructor(scope: () => Scope) {
    this.scope = scope
  }

  begin(options: Options, resource: Attributes, send: Send, keeper?: Keeper): void {
    const all: Attributes = { 'telemetry.sdk.name': 'firethorn', 'telemetry.sdk.version': '0.1.0', ...resource }
    const own = {
      'service.name': options.service,
      'service.version': options.release,
      'deployment.environment.name': options.environment,
    }
    for (const [k, v] of Object.entries(own)) if (v) all[k] = v
    this.resource = all
    const quiet: Send = (path, body, last) => this.unheard(() => send(path, body, last))
    const box = (list: keyof typeof rooms) =>
      new Outbox(
        list,
        rooms[list],
        quiet,
        () => all,
        (status, n) => this.answered?.(list, status, n),
        keeper,
      )
    this.events = box('events')
    this.sessions = box('sessions')
    this.feedback = box('feedback')
    this.kinds = new Kinds(options.share ?? 1, (e) => this.put(e))
    this.options = options
  }

  /** Runs our own code so that nothing it throws gets out, and nothing it does is reported. */
  guard<T>(fn: () => T): T | undefined {
    if (this.inside) return undefined
    try {
      return this.unheard(fn)
    } catch {
      return undefined
    }
  }

  unheard<T>(fn: () => T): T {
    const before = this.inside
    this.inside = true
    try {
      return fn()
    } finally {
      this.inside = before
    }
  }

  report(error: unknown, details: Details = {}): string | undefined {
    return this.guard(() => {
      if (!this.options) return undefined
      if (isError(error)) {
        if (this.reported.has(error)) return undefined // reported by hand, then thrown on
        this.reported.add(error)
      }
      const severity = details.severity ?? 'error'
      if (severity === 'error' || severity === 'fatal') this.scope().session?.raise('faulty')
      return this.take(this.kindOf(error), () => this.describing(this.event(details, severity), error))
    })
  }

  message(words: string, details: Details = {}): string | undefined {
    return this.guard(() =>
      this.options
        ? this.take(text(words), () => ({ ...this.event(details, 'info'), message: text(words) }))
        : undefined,
    )
  }

  /** Adds what a thrown value says; one that comes early is read again once that part is loaded. */
  private describing(e: ReportedEvent, value: unknown): Reported {
    const { exceptions, attributes } = this.describe(value)
    return { ...e, [thrown]: value, exceptions, attributes: { ...attributes, ...e.attributes } }
  }

  /** Errors of one kind have the same name, message without its numbers, and first frames. */
  private kindOf(error: unknown): string {
    try {
      const e = error as Error
      const known = isError(error)
      const words = known ? `${e.name} ${e.message}` : this.describe(error).exceptions[0]!.message!
      const stack = known
        ? String(e.stack).slice(0, 600).replace(String(e.message), '').split('\n').slice(0, 3).join()
        : ''
      return words.slice(0, 200).replace(/\d+/g, '0') + stack
    } catch {
      return 'unreadable'
    }
  }

  private take(kind: string, make: () => ReportedEvent): string {
    // Whom it hits counts: what happens to another user is of another kind.
    const user = this.scope().attributes['user.id']
    return (this.last = this.kinds.take(`${String(user)} ${kind}`, make))
  }

  /** An event that says nothing yet but what surrounds it. */
  event(d: Details, severity: Severity): ReportedEvent {
    const scope = this.scope()
    if (scope.session) scope.session.mentioned = true
    return {
      id: newID(),
      time: new Date().toISOString(),
      severity: d.severity ?? severity,
      handled: d.handled,
      message: d.message,
      grouping: d.grouping,
      state: this.state(),
      attributes: sendable({
        'session.id': scope.session?.id,
        ...this.options?.attributes,
        ...this.facts(),
        ...scope.attributes,
        ...d.attributes,
      }),
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

  /** Makes an event as it leaves: edited, without secrets; undefined when it is dropped. */
  finish(e: ReportedEvent): ReportedEvent | undefined {
    const { edit, scrub } = this.options!
    try {
      const edited = edit ? edit(e) : e
      if (!edited) return undefined
      const clean = scrub === false ? edited : this.scrub!(edited, scrub)
      this.complete?.(clean)
      JSON.stringify(clean) // what cannot be written would hold up all behind it
      return clean
    } catch (why) {
      // What surrounds it might be what edit would have hidden: what happened leaves alone.
      const { state: _, attributes: _a, ...rest } = e
      return this.scrub!(
        { ...rest, breadcrumbs: [], attributes: { 'firethorn.edit_failed': text(why) } },
        scrub || undefined,
      )
    }
  }

  private put(e: ReportedEvent): void {
    try {
      this.unheard(() => {
        if (!this.scrub) {
          if (this.early.push(e) > rooms.events) this.early.shift()
          return
        }
        const clean = this.finish(e)
        if (clean) this.events.put(clean, () => ({ ...clean, breadcrumbs: [] }))
      })
    } catch {
      // one that cannot even be written without what surrounds it
    }
  }

  /** Says how secrets are taken out; what waited for that goes on. */
  cleanBy(scrub: Scrub): void {
    this.scrub = scrub
    for (const e of this.early.splice(0)) this.put(thrown in e ? this.describing(e, e[thrown]) : e)
  }

  note(kind: string, message: string, attributes?: Attributes, severity?: Severity): void {
    this.guard(() => {
      const list = this.scope().breadcrumbs
      list.push({
        time: new Date().toISOString(),
        kind,
        message: text(message).slice(0, 500),
        severity,
        attributes: attributes && sendable(attributes),
      })
      if (list.length > mostBreadcrumbs) list.shift()
      this.noted?.()
    })
  }

  attributes(values: Attributes): void {
    this.guard(() => Object.assign(this.scope().attributes, values))
  }

  user(identity: string | { id?: string; email?: string; name?: string } | null): void {
    this.guard(() => {
      const a = this.scope().attributes
      const known = typeof identity === 'string' ? { id: identity } : identity
      for (const k of ['id', 'email', 'name'] as const) {
        delete a['user.' + k]
        const v = (known as Record<string, string> | null)?.[k]
        if (v) a['user.' + k] = v
      }
    })
  }

  snapshot(fn: (() => unknown) | undefined): void {
    this.stateOf = fn
  }

  /** Tells how a session stands. */
  tell(session: Session | undefined, attributes: Attributes, wait?: number): void {
    if (session) this.sessions.put(session.message(attributes), undefined, wait)
  }

  /** Lets go of what is held back, for a page or process that may end. */
  release(): void {
    this.guard(() => this.kinds.release())
  }

  boxes(): Outbox[] {
    return [this.events, this.sessions, this.feedback]
  }

  async drain(timeout = 2000): Promise<boolean> {
    if (!this.options) return true
    this.release()
    const boxes = this.boxes()
    let timer: ReturnType<typeof setTimeout> | undefined
    await Promise.race([
      Promise.all(boxes.map(async (b) => (await this.loading, b.flush()))),
      new Promise((done) => (timer = setTimeout(done, timeout))),
    ])
    clearTimeout(timer)
    return !this.early.length && boxes.every((b) => !b.waiting.length)
  }
}

/** What an application calls, whatever it runs in. */
export const functions = (c: Client) => ({
  /** Reports a thrown value that the application caught. Returns the id of the event that tells of it. */
  report: (error: unknown, details?: Details): string | undefined => c.report(error, { handled: true, ...details }),
  /** Reports a plain message. */
  message: c.message.bind(c),
  /** Leaves a breadcrumb. */
  note: (kind: string, words: string, attributes?: Attributes): void => c.note(kind, words, attributes),
  /** Names the affected user of all that follows; null for nobody. */
  user: c.user.bind(c),
  /** Adds attributes to all events that follow. */
  attributes: c.attributes.bind(c),
  /** Gives the function that is asked for the application's state when something is reported. */
  snapshot: c.snapshot.bind(c),
  /** Waits until all that was reported is stored; false when that took too long (milliseconds). */
  drain: c.drain.bind(c),
})

/** The address messages of a list are posted to. */
export const endpoint = (o: Options, list: string): string => `${o.server.replace(/\/+$/, '')}/v1/${list}`

export const retryAfter = (h: Headers): { retryAfter?: number } => {
  const n = Number(h.get('Retry-After'))
  return n > 0 ? { retryAfter: n } : {}
}
