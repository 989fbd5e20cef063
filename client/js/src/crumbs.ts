import type { Options } from './client.ts'
import { text } from './event.ts'
import { client, hasDocument, page, plainFetch } from './page.ts'
import { patch } from './patch.ts'

/** Takes breadcrumbs by itself: pages, clicks, requests, the console. */
export function watch(o: Options): void {
  const b = { page: true, clicks: true, requests: true, console: true, ...o.breadcrumbs }
  if (b.page && hasDocument) pages()
  if (b.clicks && hasDocument) clicks()
  if (b.requests) requests(o.server)
  if (b.console) consoles()
}

function pages(): void {
  let at = location.href
  const path = (u: string) => {
    const url = new URL(u, at)
    return url.pathname + url.search
  }
  const moved = () => {
    if (location.href !== at) client.note('page', `${path(at)} → ${path(location.href)}`)
    at = location.href
  }
  for (const name of ['pushState', 'replaceState'] as const) {
    patch(history, name, (plain) =>
      function (this: History, ...args: Parameters<History['pushState']>) {
        plain.apply(this, args)
        moved()
      })
  }
  addEventListener('popstate', moved)
  addEventListener('hashchange', moved)
}

/** Names what was clicked by what a person sees, never by what they typed. */
function describe(target: EventTarget | null): string {
  const el = target instanceof Element ? (target.closest('button,a,[role],label,summary,input,select') ?? target) : null
  if (!el) return 'page'
  const name = el.getAttribute('aria-label') ?? (/^(input|textarea|select)$/i.test(el.tagName) ? el.getAttribute('name') : el.textContent)
  return `${el.tagName.toLowerCase()}${el.id ? '#' + el.id : ''}${name ? ` "${name.trim().replace(/\s+/g, ' ').slice(0, 40)}"` : ''}`
}

function clicks(): void {
  document.addEventListener('click', (e) => client.note('input', 'click on ' + describe(e.target)), { capture: true, passive: true })
}

function requests(own: string): void {
  const add = (method: string, url: string, began: number, status: number | string) => {
    if (url.startsWith(own)) return
    const failed = typeof status === 'string' || status >= 400
    client.note('call', `${method} ${url} → ${status}`, { 'http.request.method': method, 'url.full': url, 'http.response.status_code': status, duration_ms: Math.round(performance.now() - began) }, failed ? 'warn' : 'info')
  }
  patch(globalThis, 'fetch', () => (input, init) => {
    const began = performance.now()
    const method = (init?.method ?? (input instanceof Request ? input.method : 'GET')).toUpperCase()
    const url = input instanceof Request ? input.url : String(input)
    const answer = plainFetch(input, init)
    answer.then((r) => add(method, url, began, r.status), (e: unknown) => add(method, url, began, text(e)))
    return answer
  })
  if (typeof XMLHttpRequest === 'undefined') return
  patch(XMLHttpRequest.prototype, 'open', (open) =>
    function (this: XMLHttpRequest, method: string, url: string | URL, ...rest: unknown[]) {
      const began = performance.now()
      this.addEventListener('loadend', () => add(method.toUpperCase(), String(url), began, this.status || 'failed'))
      return (open as (...a: unknown[]) => void).call(this, method, url, ...rest)
    } as typeof open)
}

function consoles(): void {
  for (const [name, severity] of [['info', 'info'], ['warn', 'warn'], ['error', 'error']] as const) {
    patch(console, name, (plain) => (...args: unknown[]) => {
      client.note('log', args.map(text).join(' '), undefined, severity)
      plain.apply(console, args)
    })
  }
}

const trail = 'firethorn.trail'
const mostTrail = 20

/** Keeps the last breadcrumbs in the tab's store, so that they outlive a crash of the page and a way to the next one. */
export function keepTrail(): void {
  try {
    const before = JSON.parse(sessionStorage.getItem(trail) ?? 'null') as { list: typeof page.breadcrumbs; ended: boolean } | null
    if (before) {
      page.breadcrumbs.unshift(...before.list)
      if (!before.ended) client.note('page', 'the page before ended without a word: a crash, or a kill')
    }
  } catch {
    return // no store here, or what is in it is not ours
  }
  let due = 0
  const write = (ended: boolean) => {
    try {
      const list = page.breadcrumbs.slice(-mostTrail)
      sessionStorage.setItem(trail, JSON.stringify({ list: client.scrub ? client.scrub({ id: '', time: '', severity: 'info', attributes: {}, breadcrumbs: list }).breadcrumbs : [], ended }))
    } catch {
      // full, or forbidden since
    }
  }
  client.noted = () => {
    if (Date.now() < due) return
    due = Date.now() + 1000
    write(false)
  }
  addEventListener('pagehide', () => write(true))
}
