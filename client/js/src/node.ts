import { AsyncLocalStorage } from 'node:async_hooks'
import type { IncomingMessage, ServerResponse } from 'node:http'
import os from 'node:os'
import process from 'node:process'
import { Client, endpoint, functions, newScope, retryAfter } from './client.ts'
import type { Options, Scope } from './client.ts'
import { newID } from './event.ts'
import type { Attributes } from './event.ts'

export type { Options } from './client.ts'
export type { Attributes, Breadcrumb, Details, Exception, ReportedEvent, Severity } from './event.ts'

const whole = newScope()
const flow = new AsyncLocalStorage<Scope>()
const client = new Client(() => flow.getStore() ?? whole)

/** Begins to report: what nothing catches, and what it is handed. Does nothing the second time. */
export function start(options: Options): void {
  client.guard(() => {
    if (client.queue) return
    const url = endpoint(options)
    const plainFetch = globalThis.fetch
    client.begin(options, processFacts(), async (body) => {
      const res = await plainFetch(url, { method: 'POST', body, headers: { 'Content-Type': 'application/json', Authorization: `Bearer ${options.key}` }, signal: AbortSignal.timeout(10_000) })
      await res.arrayBuffer() // lets the connection be used again
      return { status: res.status, ...retryAfter(res.headers) }
    })
    process.on('uncaughtException', (e) => ended(e, 'uncaughtException'))
    process.on('unhandledRejection', (e) => ended(e, 'unhandledRejection'))
    process.on('beforeExit', () => {
      if (client.queue?.waiting.length) void client.drain()
    })
    if (options.breadcrumbs?.requests !== false) watchRequests(plainFetch, options.server)
    if (options.breadcrumbs?.console !== false) watchConsole()
  })
}

/** Reports what nothing caught, then ends the process as Node would have. */
function ended(error: unknown, kind: 'uncaughtException' | 'unhandledRejection'): void {
  client.report(error, { handled: false, severity: 'fatal' })
  if (process.listenerCount(kind) > 1) return // the application decides
  void client.drain().finally(() => {
    console.error(error)
    process.exit(1)
  })
}

export const { report, message, note, user, attributes, snapshot, drain } = functions(client)

type Next = (error?: unknown) => void
type Handler = (req: IncomingMessage, res: ServerResponse, next?: Next) => unknown

/**
 * Wraps a handler of Node's http server, or one of a middleware chain: each
 * request gets its own user, attributes and breadcrumbs; what it throws,
 * rejects with or hands to next is reported with the request's facts and
 * goes on as before.
 */
export function wrap(handler: Handler): Handler {
  return (req, res, next) => {
    const scope: Scope = { attributes: { ...whole.attributes, ...requestFacts(req) }, breadcrumbs: whole.breadcrumbs.slice(-10) }
    return flow.run(scope, () => {
      const failed = (error: unknown) => {
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
  globalThis.fetch = (input, init) => {
    const began = performance.now()
    const url = input instanceof Request ? input.url : String(input)
    const method = (init?.method ?? (input instanceof Request ? input.method : 'GET')).toUpperCase()
    const add = (status: number | string, bad: boolean) => {
      if (!url.startsWith(own)) client.note('call', `${method} ${url} → ${status}`, { 'http.request.method': method, 'url.full': url, duration_ms: Math.round(performance.now() - began) }, bad ? 'warn' : 'info')
    }
    const answer = plainFetch(input, init)
    answer.then((r) => add(r.status, r.status >= 400), (e: unknown) => add(String(e), true))
    return answer
  }
}

function watchConsole(): void {
  for (const [name, severity] of [['info', 'info'], ['warn', 'warn'], ['error', 'error']] as const) {
    const plain = console[name]
    console[name] = (...args: unknown[]) => {
      client.note('log', args.map(String).join(' '), undefined, severity)
      plain.apply(console, args)
    }
  }
}
