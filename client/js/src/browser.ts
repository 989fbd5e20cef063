import { functions } from './client.ts'
import type { Options } from './client.ts'
import { newID } from './event.ts'
import { client, hasDocument, page, scrubRoughly, sender, storage } from './page.ts'
import { Session } from './session.ts'

export type { Options } from './client.ts'
export type { Attributes, Breadcrumb, Details, Exception, ReportedEvent, Severity } from './event.ts'

/** A page that goes hands over so many bytes; the browser lets go of more. */
const mostAtEnd = 60_000

/** Begins to report: what nothing catches, and what it is handed. Does nothing the second time. */
export function start(options: Options): void {
  client.guard(() => {
    if (client.options) return
    page.session = new Session()
    client.facts = facts
    client.begin(options, { 'app.installation.id': installation() }, sender(options), storage(options))
    client.loading = import('./rest.ts').then(
      (m) => m.begin(options),
      () => client.cleanBy(scrubRoughly),
    )
    listen()
    if (!hasDocument) return
    // When the page has got what it needs, what is seldom needed.
    const after = options.hangs ?? 5000
    if (after)
      setTimeout(
        () =>
          void import('./hang-page.ts').then(
            (m) => client.guard(() => m.watchHangs(after)),
            () => 0,
          ),
        1000,
      )
  })
}

// Where there is no such thing, JSON leaves it out.
const facts = () => ({
  'url.full': globalThis.location?.href,
  'browser.window.width': globalThis.innerWidth,
  'browser.window.height': globalThis.innerHeight,
})

export const { report, message, note, user, attributes, snapshot, drain } = functions(client)

function listen(): void {
  if (typeof addEventListener !== 'function') return // rest.ts says what that means
  addEventListener('error', (e) => {
    if (!(e instanceof ErrorEvent)) return
    // Without an error object (a script of another origin) the place is all there is.
    const [, name = 'Error', message] = /^(?:Uncaught )?(?:(\w*Error): )?(.*)/.exec(e.message)!
    const thrown = e.error ?? {
      name,
      message,
      stack: `${e.message}\n    at ${e.filename}:${e.lineno || 0}:${e.colno || 0}`,
    }
    client.report(thrown, { handled: false })
  })
  addEventListener('unhandledrejection', (e) => {
    client.report(e.reason, { handled: false })
  })
  if (!hasDocument) return
  addEventListener('pagehide', leave)
  document.addEventListener('visibilitychange', () => {
    if (document.visibilityState === 'hidden') leave()
  })
}

/** The page goes, or may: what waits leaves now, or is kept for the next one. */
function leave(): void {
  client.release()
  if (!client.scrub) client.cleanBy(scrubRoughly)
  if (client.options?.sessions !== false) {
    page.session!.raise('clean')
    client.tell(page.session, page.attributes)
  }
  let left = mostAtEnd
  for (const box of [client.sessions, client.feedback, client.events])
    left -= client.guard(() => box.handOver(left)) ?? 0
}

/** A random id of this installation, so that people are counted without knowing them. */
function installation(): string {
  const name = 'firethorn.installation'
  try {
    const id = localStorage.getItem(name) ?? newID()
    localStorage.setItem(name, id)
    return id
  } catch {
    return page.session!.id // no store here: the page's life has to do
  }
}
