import { AsyncLocalStorage } from 'node:async_hooks'
import os from 'node:os'
import process from 'node:process'
import { Client, endpoint, functions, newScope, retryAfter } from './client.ts'
import type { Options, Scope } from './client.ts'
import { Counts } from './counts.ts'
import { disk } from './disk.ts'
import { newID } from './event.ts'
import type { Attributes } from './event.ts'
import { observe, Stop } from './end-node.ts'
import { watchHangs } from './hang-node.ts'
import { watchConsole, watchFetch } from './calls.ts'
import { addSymbols } from './loaded.ts'
import type { Keeper } from './outbox.ts'
import { Say } from './say.ts'
import { scrub } from './scrub.ts'
import { heartbeat, Session } from './session.ts'
import { brief, describe } from './thrown.ts'
import { wrapper } from './wrap.ts'

export type { Options } from './client.ts'
export type { Attributes, Breadcrumb, Details, Exception, ReportedEvent, Severity } from './event.ts'
export type { Handler, Next } from './wrap.ts'

const whole = newScope()
const flow = new AsyncLocalStorage<Scope>()
const client = new Client(() => flow.getStore() ?? whole)
const counts = new Counts(() => client.sessions)

/** Begins to report: what nothing catches, and what it is handed. Does nothing the second time. */
export function start(options: Options): void {
  client.guard(() => {
    if (client.options) return
    const plainFetch = globalThis.fetch
    const stop = new Stop()
    client.options = options
    const say = new Say(client)
    client.describe = describe
    client.begin(
      options,
      processFacts(),
      async (path, body) => {
        const res = await plainFetch(endpoint(options, path), {
          method: 'POST',
          body,
          headers: { 'Content-Type': 'application/json', Authorization: `Bearer ${options.key}` },
          signal: AbortSignal.any?.([stop.signal, AbortSignal.timeout(10_000)]) ?? stop.signal,
        })
        await res.arrayBuffer() // lets the connection be used again
        return { status: res.status, ...retryAfter(res.headers) }
      },
      keeper(options, say),
    )
    client.complete = addSymbols
    client.cleanBy(scrub)
    if (options.sessions !== false && options.sessions !== 'request') live()
    // Each by itself: a runtime like Node may lack one of them.
    const parts: [string, () => void][] = [
      ['uncaught errors and the end of the process', () => observe(client, whole, counts, stop)],
      ['requests', () => options.breadcrumbs?.requests !== false && watchFetch(client, options.server)],
      ['the console', () => options.breadcrumbs?.console !== false && watchConsole(client, brief)],
      ['hangs', () => options.hangs !== false && watchHangs(client, options.hangs ?? 5000)],
    ]
    for (const [name, begin] of parts) {
      try {
        begin()
      } catch (why) {
        say.warn(name, `this runtime does not let the client watch ${name}: ${String(why)}`)
      }
    }
  })
}

/** Where messages wait for the next start; undefined where nothing can be kept. */
function keeper(o: Options, say: Say): Keeper | undefined {
  if (o.dir === false) return undefined
  try {
    return disk(o)
  } catch (why) {
    const reason = why instanceof Error ? why.message : String(why)
    say.warn(
      'disk',
      `nothing is kept on disk, so what cannot be sent before the process ends is lost: ${reason} ` +
        "(set options.dir to a directory of this application's own, or to false)",
    )
    return undefined
  }
}

/** The process is one session: told of at once, then as often as a heartbeat is due, and when it ends. */
function live(): void {
  whole.session = new Session()
  client.tell(whole.session, whole.attributes)
  setInterval(() => client.tell(whole.session, whole.attributes), heartbeat).unref()
}

export const { report, message, note, user, attributes, snapshot } = functions(client)

/** Waits until all that was reported is stored; false when that took too long (milliseconds). */
export function drain(timeout?: number): Promise<boolean> {
  client.guard(() => counts.flush())
  return client.drain(timeout)
}

/**
 * Wraps a handler of Node's http server, or one of a middleware chain: each
 * request gets its own user, attributes and breadcrumbs; what it throws,
 * rejects with or hands to next is reported with the request's facts and
 * goes on as before.
 */
export const wrap = wrapper(client, whole, flow, counts)

function processFacts(): Attributes {
  return {
    'telemetry.sdk.language': 'nodejs',
    'process.runtime.name': 'nodejs',
    'process.runtime.version': process.versions.node,
    'process.pid': process.pid,
    'host.name': os.hostname(),
    'host.arch': os.arch(),
    'os.type': os.platform(),
    'os.name': os.type(),
    'os.version': os.release(),
    'service.instance.id': newID(),
  }
}
