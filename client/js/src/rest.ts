/**
 * What a page needs a moment after it can report: loaded beside the page's own
 * work, so that it stands in nobody's way.
 */
import type { Options } from './client.ts'
import { keepTrail, watch } from './crumbs.ts'
import { browserFacts } from './facts.ts'
import { client, hasDocument } from './page.ts'
import { scrub } from './scrub.ts'
import { addSymbols } from './symbols.ts'

export function begin(o: Options): void {
  Object.assign(client.resource, browserFacts())
  client.complete = addSymbols
  client.cleanBy(scrub)
  client.guard(() => watch(o))
  if (hasDocument) client.guard(keepTrail)
}
