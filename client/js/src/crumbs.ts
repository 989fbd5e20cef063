import type { Options } from './client.ts'
import { noteCall, watchConsole, watchFetch } from './calls.ts'
import { client, hasDocument, page } from './page.ts'
import { patch } from './patch.ts'
import { brief } from './thrown.ts'

/** Takes breadcrumbs by itself: pages, clicks, requests, the console. */
export function watch(o: Options): void {
  const b = { page: true, clicks: true, requests: true, console: true, ...o.breadcrumbs }
  if (b.page && hasDocument) pages()
  if (b.clicks && hasDocument) clicks()
  if (b.requests) requests(o.server)
  if (b.console) watchConsole(client, brief)
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
    patch(
      history,
      name,
      (plain) =>
        function (this: History, ...args: Parameters<History['pushState']>) {
          plain.apply(this, args)
          moved()
        },
    )
  }
  addEventListener('popstate', moved)
  addEventListener('hashchange', moved)
}

/** What can be typed into; what lies in it, and what it lies in, is never read. */
const typed =
  'input,textarea,select,[contenteditable]:not([contenteditable="false" i]),[role~=textbox],[role~=searchbox],[role~=combobox],[role~=spinbutton]'

/** Names what was clicked by what a person sees, never by what they typed. */
function describe(target: EventTarget | null): string {
  if (!(target instanceof Element)) return 'page'
  const into = target.closest(typed)
  const el = into ?? target.closest('button,a,[role],label,summary') ?? target
  const secret = into || (el as HTMLElement).isContentEditable || el.querySelector(typed)
  const name = el.getAttribute('aria-label') ?? (secret ? el.getAttribute('name') : el.textContent)
  return `${el.tagName.toLowerCase()}${el.id ? '#' + el.id : ''}${name ? ` "${name.trim().replace(/\s+/g, ' ').slice(0, 40)}"` : ''}`
}

function clicks(): void {
  document.addEventListener('click', (e) => client.note('input', 'click on ' + describe(e.target)), {
    capture: true,
    passive: true,
  })
}

function requests(own: string): void {
  watchFetch(client, own)
  if (typeof XMLHttpRequest === 'undefined') return
  patch(
    XMLHttpRequest.prototype,
    'open',
    (open) =>
      function (this: XMLHttpRequest, ...args: unknown[]) {
        client.guard(() => {
          const began = performance.now()
          const [method, url] = [String(args[0]).toUpperCase(), String(args[1])]
          const ended = () => url.startsWith(own) || noteCall(client, method, url, began, this.status || 'failed')
          this.addEventListener('loadend', ended, { once: true })
        })
        return (open as (...a: unknown[]) => void).apply(this, args)
      } as typeof open,
  )
}

const trail = 'firethorn.trail'
const mostTrail = 20

/**
 * Keeps the last breadcrumbs in the tab's store, so that they outlive a crash of the page and a way to the next
 * one.
 */
export function keepTrail(): void {
  try {
    const before = JSON.parse(sessionStorage.getItem(trail) ?? 'null') as {
      list: typeof page.breadcrumbs
      ended: boolean
    } | null
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
      sessionStorage.setItem(
        trail,
        JSON.stringify({
          list: client.scrub
            ? client.scrub({ id: '', time: '', severity: 'info', attributes: {}, breadcrumbs: list }).breadcrumbs
            : [],
          ended,
        }),
      )
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
