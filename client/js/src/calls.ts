import type { Client } from './client.ts'
import { text } from './event.ts'
import { patch } from './patch.ts'

/** Leaves a breadcrumb for each request by fetch, but not for those to the service at own. */
export function watchFetch(client: Client, own: string): void {
  patch(
    globalThis,
    'fetch',
    (plain) =>
      function (this: unknown, ...args: Parameters<typeof fetch>) {
        const began = performance.now()
        const [method, url] = client.guard(() => callOf(...args)) ?? ['GET', '']
        const answer = plain.apply(this === undefined ? globalThis : this, args)
        client.guard(() => {
          if (!url.startsWith(own))
            answer.then(
              (r) => noteCall(client, method, url, began, r.status),
              (e: unknown) => noteCall(client, method, url, began, text(e)),
            )
        })
        return answer
      },
  )
}

function callOf(input: Parameters<typeof fetch>[0], init?: RequestInit): [method: string, url: string] {
  const request = typeof input === 'object' && 'url' in input ? input : undefined
  return [(init?.method ?? request?.method ?? 'GET').toUpperCase(), request ? request.url : String(input)]
}

/** Leaves the breadcrumb of one request; status is a number, or why there is none. */
export function noteCall(client: Client, method: string, url: string, began: number, status: number | string): void {
  const failed = typeof status === 'string' || status >= 400
  client.note(
    'call',
    `${method} ${url} → ${status}`,
    {
      'http.request.method': method,
      'url.full': url,
      'http.response.status_code': status,
      duration_ms: Math.round(performance.now() - began),
    },
    failed ? 'warn' : 'info',
  )
}

/** Leaves a breadcrumb for what is said on the console. */
export function watchConsole(client: Client, brief: (v: unknown) => string): void {
  for (const [name, severity] of [
    ['info', 'info'],
    ['warn', 'warn'],
    ['error', 'error'],
  ] as const) {
    patch(
      console,
      name,
      (plain) =>
        function (this: unknown, ...args: unknown[]) {
          client.note('log', args.map((v) => brief(v)).join(' '), undefined, severity)
          plain.apply(this, args)
        },
    )
  }
}
