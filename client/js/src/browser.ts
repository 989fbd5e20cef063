import { Client, endpoint, functions, newScope, retryAfter } from './client.ts'
import type { Options } from './client.ts'
import { newID, text } from './event.ts'
import type { Attributes } from './event.ts'

export type { Options } from './client.ts'
export type { Attributes, Breadcrumb, Details, Exception, ReportedEvent, Severity } from './event.ts'

const page = newScope()
const client = new Client(() => page)
const session = newID()
let plainFetch: typeof fetch

/** Begins to report: what nothing catches, and what it is handed. Does nothing the second time. */
export function start(options: Options): void {
  client.guard(() => {
    if (client.queue) return
    plainFetch = globalThis.fetch.bind(globalThis)
    client.facts = () => ({ 'url.full': location.href, 'session.id': session, 'browser.window.width': innerWidth, 'browser.window.height': innerHeight })
    // The key stands in the address and the body is text: a request without a preflight.
    const url = `${endpoint(options)}?key=${encodeURIComponent(options.key)}`
    client.begin(options, browserFacts(), async (body, last) => {
      const res = await plainFetch(url, { method: 'POST', body, keepalive: last && body.length < 60_000, headers: { 'Content-Type': 'text/plain' }, credentials: 'omit', referrerPolicy: 'no-referrer' })
      return { status: res.status, ...retryAfter(res.headers) }
    })
    listen()
    const b = { page: true, clicks: true, requests: true, console: true, ...options.breadcrumbs }
    if (b.page) watchPages()
    if (b.clicks) watchClicks()
    if (b.requests) watchRequests(options.server)
    if (b.console) watchConsole()
  })
}

export const { report, message, note, user, attributes, snapshot, drain } = functions(client)

function listen(): void {
  addEventListener('error', (e) => {
    if (!(e instanceof ErrorEvent)) return
    // Without an error object (a script of another origin) the place is all there is.
    const thrown = e.error ?? { name: 'Error', message: e.message, stack: `${e.message}\n    at ${e.filename || 'unknown'}:${e.lineno || 0}:${e.colno || 0}` }
    client.report(thrown, { handled: false })
  })
  addEventListener('unhandledrejection', (e) => {
    client.report(e.reason, { handled: false })
  })
  const leave = () => client.guard(() => client.queue?.handOver())
  addEventListener('pagehide', leave)
  document.addEventListener('visibilitychange', () => {
    if (document.visibilityState === 'hidden') leave()
  })
}

function watchPages(): void {
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
    const plain = history[name]
    history[name] = function (this: History, ...args: Parameters<History['pushState']>) {
      plain.apply(this, args)
      moved()
    }
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

function watchClicks(): void {
  document.addEventListener('click', (e) => client.note('input', 'click on ' + describe(e.target)), { capture: true, passive: true })
}

function watchRequests(own: string): void {
  const add = (method: string, url: string, began: number, status: number | string) => {
    if (url.startsWith(own)) return
    const failed = typeof status === 'string' || status >= 400
    client.note('call', `${method} ${url} → ${status}`, { 'http.request.method': method, 'url.full': url, 'http.response.status_code': status, duration_ms: Math.round(performance.now() - began) }, failed ? 'warn' : 'info')
  }
  globalThis.fetch = (input, init) => {
    const began = performance.now()
    const method = (init?.method ?? (input instanceof Request ? input.method : 'GET')).toUpperCase()
    const url = input instanceof Request ? input.url : String(input)
    const answer = plainFetch(input, init)
    answer.then((r) => add(method, url, began, r.status), (e: unknown) => add(method, url, began, text(e)))
    return answer
  }
  const proto = XMLHttpRequest.prototype
  const open = proto.open
  proto.open = function (this: XMLHttpRequest, method: string, url: string | URL, ...rest: unknown[]) {
    const began = performance.now()
    this.addEventListener('loadend', () => add(method.toUpperCase(), String(url), began, this.status || 'failed'))
    return (open as (...a: unknown[]) => void).call(this, method, url, ...rest)
  } as typeof open
}

function watchConsole(): void {
  for (const [name, severity] of [['info', 'info'], ['warn', 'warn'], ['error', 'error']] as const) {
    const plain = console[name]
    console[name] = (...args: unknown[]) => {
      client.note('log', args.map(text).join(' '), undefined, severity)
      plain.apply(console, args)
    }
  }
}

const systems: [RegExp, string][] = [[/Windows NT ([\d.]+)/, 'Windows'], [/Android ([\d.]+)/, 'Android'], [/(?:iPhone|CPU) OS ([\d_]+)/, 'iOS'], [/Mac OS X ([\d_.]+)/, 'macOS'], [/CrOS \S+ ([\d.]+)/, 'ChromeOS'], [/Linux/, 'Linux']]
const browsers: [RegExp, string][] = [[/Edg\/([\d.]+)/, 'Edge'], [/Firefox\/([\d.]+)/, 'Firefox'], [/(?:Headless)?Chrome\/([\d.]+)/, 'Chrome'], [/Version\/([\d.]+).*Safari/, 'Safari']]

function browserFacts(): Attributes {
  const ua = navigator.userAgent
  const out: Attributes = { 'telemetry.sdk.language': 'webjs', 'user_agent.original': ua, 'browser.language': navigator.language, 'browser.mobile': /Mobi/.test(ua), 'app.installation.id': installation() }
  const fill = (list: [RegExp, string][], name: string, version: string) => {
    for (const [re, what] of list) {
      const m = re.exec(ua)
      if (!m) continue
      out[name] = what
      if (m[1]) out[version] = m[1].replace(/_/g, '.')
      return
    }
  }
  fill(systems, 'os.name', 'os.version')
  fill(browsers, 'user_agent.name', 'user_agent.version')
  return out
}

/** A random id of this installation, so that people are counted without knowing them. */
function installation(): string {
  const name = 'firethorn.installation'
  try {
    const known = localStorage.getItem(name)
    if (known) return known
    const fresh = newID()
    localStorage.setItem(name, fresh)
    return fresh
  } catch {
    return session // no storage here: the page's life has to do
  }
}
