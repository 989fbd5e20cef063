import type { Change } from '../core/changes.ts'

/**
 * Decisions made in this tab. The stream reports them too, and such a report is no
 * news. A later change of the issue is news, even if it makes no new version.
 */

/** How long a report of my own decision may take. */
const soon = 5000

const underWay = new Map<string, Promise<unknown>>()
const made = new Map<string, { version: number; at: number }>()

/** Remembers a decision about an issue, and the version it makes. */
export async function decidedByMe<T extends { id: string; version: number }>(id: string, answer: Promise<T>): Promise<T> {
  underWay.set(id, answer)
  try {
    const now = await answer
    made.set(now.id, { version: now.version, at: Date.now() })
    return now
  } finally {
    if (underWay.get(id) === answer) underWay.delete(id)
  }
}

/** Gives a change without decisions made in this tab. If the stream is faster than the answer to a decision, it waits for the answer. */
export async function byOthers(c: Change): Promise<Change> {
  const answers = Object.keys(c.decided ?? {}).flatMap((id) => underWay.get(id) ?? [])
  if (answers.length) await Promise.race([Promise.allSettled(answers), new Promise((late) => setTimeout(late, soon))])
  const decided = Object.entries(c.decided ?? {}).filter(([id, version]) => {
    const known = made.get(id)
    if (known && known.version <= version) made.delete(id)
    return !known || known.version < version || Date.now() - known.at > soon
  })
  return { ...c, decided: Object.fromEntries(decided) }
}
