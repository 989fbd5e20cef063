/**
 * What a page needs a moment after it can report: loaded beside the page's own
 * work, so that it stands in nobody's way.
 */
import type { Options } from './client.ts'
import { keepTrail, watch } from './crumbs.ts'
import { browserFacts } from './facts.ts'
import { client, hasDocument, page } from './page.ts'
import { Say } from './say.ts'
import { scrub } from './scrub.ts'
import { describe } from './thrown.ts'
import { addSymbols } from './loaded.ts'

export function begin(o: Options): void {
  const say = new Say(client)
  client.guard(() => Object.assign(client.resource, browserFacts()))
  client.describe = describe
  client.complete = addSymbols
  client.cleanBy(scrub)
  client.guard(() => watch(o))
  client.guard(() => elsewhere(say))
  if (!hasDocument) return
  addEventListener('online', () => {
    for (const box of client.boxes()) void box.flush()
  })
  client.guard(keepTrail)
  if (o.sessions !== false) client.guard(live)
}

/** Tells that the page lives: soon, and then as often as a heartbeat is due. */
function live(): void {
  client.tell(page.session, page.attributes, 3000)
  setInterval(() => {
    if (document.visibilityState === 'visible') client.tell(page.session, page.attributes)
  }, 300_000) // as often as a heartbeat is due (session.ts)
}

interface ErrorUtils {
  getGlobalHandler(): ((error: unknown, fatal?: boolean) => void) | undefined
  setGlobalHandler(handler: (error: unknown, fatal?: boolean) => void): void
}

/** A runtime that is no browser: watches what it lets be watched, and says once what it does not. */
function elsewhere(say: Say): void {
  if (typeof addEventListener === 'function') return
  const { ErrorUtils } = globalThis as { ErrorUtils?: ErrorUtils }
  if (ErrorUtils) {
    const before = ErrorUtils.getGlobalHandler()
    ErrorUtils.setGlobalHandler((error, fatal) => {
      client.report(error, { handled: false, ...(fatal ? { severity: 'fatal' } : {}) })
      before?.(error, fatal)
    })
  }
  const what = ErrorUtils ? 'rejections that nothing catches' : 'errors and rejections that nothing catches'
  say.warn(
    'runtime',
    `this runtime does not tell of ${what}: hand them to report(), and wait for drain() before the runtime stops`,
  )
}
