import process from 'node:process'
import { isMainThread } from 'node:worker_threads'
import type { Client, Scope } from './client.ts'
import type { Counts } from './counts.ts'
import { sendStandingStill } from './exit-node.ts'

/** How long a process that ends by itself waits for the service (milliseconds). */
const maxDrain = 2000

/** Ends requests that are under way; later ones go on as before. */
export class Stop {
  private controller = new AbortController()

  get signal(): AbortSignal {
    return this.controller.signal
  }

  abort(): void {
    this.controller.abort()
    this.controller = new AbortController()
  }
}

/**
 * Reports what nothing caught and sends what waits before the process ends. It
 * only looks on: which handlers of the application run, what is printed and
 * how the process ends stay as they are without it.
 */
export function observe(client: Client, whole: Scope, counts: Counts, stop: Stop): void {
  const end = new End(client, whole, counts, stop)
  process.on('uncaughtExceptionMonitor', (error: unknown) => quiet(() => end.uncaught(error)))
  seeRejections((reason) => quiet(() => end.rejected(reason)))
  process.once('beforeExit', () => void end.drain())
  process.on('exit', () => quiet(() => end.exit()))
  if (!isMainThread) return // a worker thread is sent no signals
  for (const signal of ['SIGTERM', 'SIGINT', 'SIGHUP'] as const) {
    process.once(signal, () => {
      // The application has a handler: it decides, and may go on.
      if (process.listenerCount(signal) > 0) return void client.drain(maxDrain)
      void end.drain().then(() => {
        quiet(() => end.keep())
        process.kill(process.pid, signal) // as it would have ended
      })
    })
  }
}

/** Runs our own code so that nothing it throws gets out. */
function quiet(fn: () => void): void {
  try {
    fn()
  } catch {
    // the process ends as it would have
  }
}

const waits = (client: Client): boolean => client.boxes().some((b) => b.waiting.length)

class End {
  private told = false
  private fatal = false
  private readonly client: Client
  private readonly whole: Scope
  private readonly counts: Counts
  private readonly stop: Stop

  constructor(client: Client, whole: Scope, counts: Counts, stop: Stop) {
    this.client = client
    this.whole = whole
    this.counts = counts
    this.stop = stop
  }

  /** An error that nothing caught: it lies on disk before anything else happens. */
  uncaught(error: unknown): void {
    this.client.report(rejectedWith(error), { handled: false, severity: 'fatal' })
    if (process.listenerCount('uncaughtException') === 0) {
      this.fatal = true
      this.tell('crashed')
    }
    this.keep()
  }

  /** A rejection that the application sees too: it decides what becomes of the process. */
  rejected(reason: unknown): void {
    this.client.report(reason, { handled: false })
    this.keep()
  }

  private tell(outcome: 'clean' | 'crashed'): void {
    if (this.told && outcome === 'clean') return
    this.told = true
    this.whole.session?.raise(outcome)
    this.client.tell(this.whole.session, this.whole.attributes)
  }

  /** Writes all that waits to disk. */
  keep(): void {
    this.counts.flush()
    this.client.release()
    for (const b of [this.client.events, this.client.sessions]) for (const w of b.waiting) b.keep(w)
  }

  /** Sends what waits: once, and not for long. */
  async drain(): Promise<void> {
    quiet(() => {
      this.tell('clean')
      this.counts.flush()
    })
    if (!waits(this.client)) return
    const late = setTimeout(() => this.stop.abort(), maxDrain)
    await this.client.drain(maxDrain).catch(() => false)
    clearTimeout(late)
  }

  /** There are no more turns: what waits is kept, and events are sent while the process stands still. */
  exit(): void {
    if (!this.fatal) this.tell('clean')
    if (!waits(this.client)) return
    this.keep()
    // The end of a session alone is not worth a wait.
    if (this.fatal || this.client.events.waiting.length)
      sendStandingStill(this.client, this.client.options!.exitWait ?? 1000)
  }
}

/** The reason of a rejection that is no error: Node tells of it in the message of an error of its own. */
function rejectedWith(error: unknown): unknown {
  const { code, message } = (error ?? {}) as { code?: unknown; message?: unknown }
  const reason = code === 'ERR_UNHANDLED_REJECTION' && /with the reason "([^]*)"\.$/.exec(String(message))?.[1]
  return typeof reason === 'string' ? reason : error
}

/**
 * Sees rejections that nothing caught where the application has a handler for
 * them. Without one there is nothing to do: Node makes an uncaught exception of
 * them. A handler of ours where there is none would swallow them.
 */
function seeRejections(seen: (reason: unknown) => void): void {
  const name = 'unhandledRejection'
  const ours = (reason: unknown) => seen(reason)
  const theirs = () => process.listeners(name).filter((f) => f !== ours).length
  if (theirs()) process.on(name, ours)
  process.on('newListener', (event: string | symbol, f: unknown) => {
    if (event === name && f !== ours && !process.listeners(name).includes(ours)) process.on(name, ours)
  })
  process.on('removeListener', (event: string | symbol, f: unknown) => {
    if (event === name && f !== ours && !theirs()) process.removeListener(name, ours)
  })
}
