import type { AsyncLocalStorage } from 'node:async_hooks'
import type { IncomingMessage, ServerResponse } from 'node:http'
import type { Client, Scope } from './client.ts'
import type { Counts } from './counts.ts'
import type { Attributes } from './event.ts'
import { Session } from './session.ts'

export type Next = (error?: unknown) => void
export type Handler = (req: IncomingMessage, res: ServerResponse, next?: Next) => unknown

/** Makes wrap for a client; whole is the scope of the process. */
export function wrapper(
  client: Client,
  whole: Scope,
  flow: AsyncLocalStorage<Scope>,
  counts: Counts,
): (handler: Handler) => Handler {
  /** Tells how the session of a request ended: by itself where an event names it, else in the count of its minute. */
  const ended = (scope: Scope) => {
    const session = scope.session!
    session.raise('clean')
    if (session.outcome !== 'clean' && session.mentioned && counts.room()) client.tell(session, scope.attributes)
    else counts.add(session.outcome, session.age)
  }
  const scopeOf = (req: IncomingMessage, res: ServerResponse): Scope => {
    const scope: Scope = {
      attributes: { ...whole.attributes, ...client.guard(() => requestFacts(req)) },
      breadcrumbs: whole.breadcrumbs.slice(-10),
      session: whole.session,
    }
    if (client.options?.sessions === 'request') {
      scope.session = new Session()
      client.guard(() => res.once('close', () => client.guard(() => ended(scope))))
    }
    return scope
  }
  return (handler) => (req, res, next) => {
    const scope = scopeOf(req, res)
    return flow.run(scope, () => {
      const failed = (error: unknown) => {
        if (scope.session !== whole.session) scope.session?.raise('crashed')
        client.report(error, {
          handled: false,
          attributes: { 'http.response.status_code': res.statusCode >= 400 ? res.statusCode : 500 },
        })
      }
      const passed: Next | undefined =
        next &&
        ((error?: unknown) => {
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
