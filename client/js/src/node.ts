import { AsyncLocalStorage } from 'node:async_hooks'
import type { IncomingMessage, ServerResponse } from 'node:http'
import os from 'node:os'
import process from 'node:process'
import { Client, endpoint, functions, newScope, retryAfter } from './client.ts'
import type { Options, Scope } from './client.ts'
import { newID, text } from './event.ts'
import type { Attributes } from './event.ts'
import { watchHangs } from './hang-node.ts'
import { patch } from './patch.ts'
import { scrub } from './scrub.ts'
import { heartbeat, Session } from './session.ts'
import { addSymbols } from './symbols.ts'

export type { Options } from './client.ts'
export type { Attributes, Breadcrumb, Details, Exception, ReportedEvent, Severity } from './event.ts'

const whole = newScope()
const flow = new AsyncLocalStorage<Scope>()
const client = new Client(() => flow.getStore() ?? whole)

/** Begins to report: what nothing catches, and what it is handed. Does nothing the second time. */
export function start(options: Options): void {
  client.guard(() => {
    if (client.options) return
    const plainFetch = globalThis.fetch
    client.begin(options, processFacts(), async (path, body) => {
      const res = await plainFetch(endpoint(options, path), { method: 'POST', body, headers: { 'Content-Type': 'application/json', Authorization: `Bearer ${options.key}` }, signal: AbortSignal.timeout(10_000) })
      await res.arrayBuffer() // lets the connection be used again
      return { status: res.status, ...retryAfter(res.headers) }
    })
    client.complete = addSymbols
    client.cleanBy(scrub)
    process.on('uncaughtException', (e) => ended(e, 'uncaughtException'))
    process.on('unhandledRejection', (e) => ended(e, 'unhandledRejection'))
    if (options.breadcrumbs?.requests !== false) watchRequests(plainFetch, options.server)
    if (options.breadcrumbs?.console !== false) watchConsole()
    if (options.sessions !== false && options.sessions !== 'request') live()
    process.on('beforeExit', () => {
      if (whole.session) whole.session.raise('clean')
      if (whole.session && !over) client.tell(whole.session, whole.attributes)
      over = true
      if ([client.events, client.sessions, client.feedback].some((b) => b.waiting.length)) void client.drain()
    })
    const after = options.hangs ?? 5000
    if (after) watchHangs(client, after)
  })
}

let over = false

/** The process is one session: told of at once, then as often as a heartbeat is due, and when it ends. */
function live(): void {
  whole.session = new Session()
  client.tell(whole.session, whole.attributes)
  setInterval(() => client.tell(whole.session, whole.attributes), heartbeat).unref()
  for (const signal of ['SIGTERM', 'SIGINT', 'SIGHUP'] as const) {
    const told = () => {
      over = true
      whole.session!.raise('clean')
      client.tell(whole.session, whole.attributes)
      const theirs = process.listenerCount(signal) > 0 // ours is gone: it listens once
      void client.drain().finally(() => {
        if (!theirs) process.kill(process.pid, signal) // as it would have ended
      })
    }
    process.once(signal, told)
  }
}

/** Reports what nothing caught, then ends the process as Node would have. */
function ended(error: unknown, kind: 'uncaughtException' | 'unhandledRejection'): void {
  client.report(error, { handled: false, severity: 'fatal' })
  if (process.listenerCount(kind) > 1) return // the application decides
  over = true
  whole.session?.raise('crashed')
  client.tell(whole.session, whole.attributes)
  void client.drain().finally(() => {
    console.error(error)
    process.exit(1)
  })
}

export const { report, message, note, user, attributes, snapshot, drain } = functions(client)

type Next = (error?: unknown) => void
type Handler = (req: IncomingMessage, res: ServerResponse, next?: Next) => unknown

/** Tells how the session of a request ended, where each request is one. */
function tellOf(scope: Scope): void {
  scope.session?.raise('clean')
  client.tell(scope.session, scope.attributes)
  scope.session = undefined
}

/**
 * Wraps a handler of Node's http server, or one of a middleware chain: each
 * request gets its own user, attributes and breadcrumbs; what it throws,
 * rejects with or hands to next is reported with the request's facts and
 * goes on as before.
 */
export function wrap(handler: Handler): Handler {
  return (req, res, next) => {
    const session = client.options?.sessions === 'request' ? new Session() : whole.session
    const scope: Scope = { attributes: { ...whole.attributes, ...requestFacts(req) }, breadcrumbs: whole.breadcrumbs.slice(-10), session }
    if (session !== whole.session) client.guard(() => res.once('close', () => tellOf(scope)))
    return flow.run(scope, () => {
      const failed = (error: unknown) => {
        if (session !== whole.session) session?.raise('crashed')
        client.report(error, { handled: false, attributes: { 'http.response.status_code': res.statusCode >= 400 ? res.statusCode : 500 } })
      }
      const passed: Next | undefined = next && ((error?: unknown) => {
        if (error && error !== 'route' && error !== 'router') failed(error)
        next(error)
      })
      try {
        const out = handler(req, res, passed)
        if (out instanceof Promise) {
          return out.catch((error: unknown) => {
            failed(error)
            throw error
          })
        }
        return out
      } catch (error) {
        failed(error)
        throw error
      }
    })
  }
}

function requestFacts(req: IncomingMessage): Attributes {
  const original = (req as { originalUrl?: string }).originalUrl ?? req.url ?? '/'
  const [path, query] = original.split('?', 2)
  return {
    'http.request.method': req.method ?? 'GET',
    'url.path': path,
    ...(query ? { 'url.query': query } : {}),
    ...(req.headers.host ? { 'server.address': req.headers.host } : {}),
    ...(req.headers['user-agent'] ? { 'user_agent.original': req.headers['user-agent'] } : {}),
    ...(req.socket?.remoteAddress ? { 'client.address': req.socket.remoteAddress } : {}),
  }
}

function processFacts(): Attributes {
  return {
    'telemetry.sdk.language': 'nodejs', 'process.runtime.name': 'nodejs', 'process.runtime.version': process.versions.node, 'process.pid': process.pid,
    'host.name': os.hostname(), 'host.arch': os.arch(), 'os.type': os.platform(), 'os.name': os.type(), 'os.version': os.release(), 'service.instance.id': newID(),
  }
}

function watchRequests(plainFetch: typeof fetch, own: string): void {
  patch(globalThis, 'fetch', () => (input, init) => {
    const began = performance.now()
    const url = input instanceof Request ? input.url : String(input)
    const method = (init?.method ?? (input instanceof Request ? input.method : 'GET')).toUpperCase()
    const add = (status: number | string, bad: boolean) => {
      if (!url.startsWith(own)) client.note('call', `${method} ${url} → ${status}`, { 'http.request.method': method, 'url.full': url, duration_ms: Math.round(performance.now() - began) }, bad ? 'warn' : 'info')
    }
    const answer = plainFetch(input, init)
    answer.then((r) => add(r.status, r.status >= 400), (e: unknown) => add(String(e), true))
    return answer
  })
}

function watchConsole(): void {
  for (const [name, severity] of [['info', 'info'], ['warn', 'warn'], ['error', 'error']] as const) {
    patch(console, name, (plain) => (...args: unknown[]) => {
      client.note('log', args.map(text).join(' '), undefined, severity)
      plain.apply(console, args)
    })
  }
}
