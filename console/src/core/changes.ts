/** What to read again when something changed: as little as is right. */

/** What changed in a project, as the stream says it; without a project it is all of them. */
export interface Change {
  project: string
  /** Issues that were decided about, and the version each has now. */
  decided?: Record<string, number>
  /** Issues that got events. */
  events?: string[]
  /** Anything of it may have changed. */
  any?: boolean
}

/** A question to the service, by its key: ['p', project, kind, issue, …]; an issue is its number or its id. */
export type Key = readonly unknown[]

// What of an issue a decision changes, and what new events change. What is not
// named here is the same whatever happens: an event, likely causes, source lines.
const byDecision = new Set(['issue', 'history', 'since', 'owners', 'beside'])
const byEvents = new Set(['issue', 'history', 'since', 'feedback', 'event']) // events wake issues and bring them back
const lasting = new Set(['event', 'line', 'likely', 'set-up', 'together', 'brief'])
// What looks at many events is read again when it is asked for, not with every event.
const searched = new Set(['facets', 'against', 'histogram', 'affected', 'found-users', 'found-events', 'found-event', 'user', 'trail', 'searches', 'marks', 'qualities', 'quality', 'uptake', 'devices', 'comparison'])
const ofIssue = new Set([...byDecision, ...byEvents, ...lasting, 'differences'])

const numberOf = (of: unknown): number => (typeof of === 'number' ? of : Number(String(of).split('/')[1]))

/** Says whether a question is to be asked again. */
export function asksAgain(key: Key, c: Change): boolean {
  if (key[0] !== 'p') return false
  const decided = Object.keys(c.decided ?? {})
  const events = c.events ?? []
  const quiet = !c.any && decided.length + events.length === 0
  if (quiet) return false
  if (key[1] === 'round' || key[1] === 'waiting' || key[1] === 'overview') return true // of all projects
  if (c.project && key[1] !== c.project) return false
  const kind = String(key[2])
  if (searched.has(kind)) return false
  if (!ofIssue.has(kind)) return true // a list or a count of the project
  if (c.any) return !lasting.has(kind)
  const hit = (ids: string[]) => ids.some((id) => numberOf(id) === numberOf(key[3]))
  if (kind === 'event') return key[4] === 'newest' && hit(events)
  return (byDecision.has(kind) && hit(decided)) || (byEvents.has(kind) && hit(events))
}
