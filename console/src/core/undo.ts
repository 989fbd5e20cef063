/** What I decided in this tab, so that it can be undone: the last first. */

export type Step =
  /** One decision: the version when I decided, and now that nobody else did since. */
  | { kind: 'one'; id: string; before: number; now: number; words: string }
  /** A decision about many issues. */
  | { kind: 'many'; project: string; bulk: number; words: string }
  /** Issues that were merged into another one. */
  | { kind: 'merged'; ids: string[]; words: string }

const maxSteps = 50

/** Adds what I did last. */
export const did = (steps: Step[], step: Step): Step[] => [...steps.slice(1 - maxSteps), step]

/**
 * Takes the last step away once the service has undone it; version is the
 * issue's version since. The decision before it on the same issue can be undone
 * only if nobody decided between the two.
 */
export function undone(steps: Step[], version: number | undefined): Step[] {
  const last = steps.at(-1)
  const rest = steps.slice(0, -1)
  if (last?.kind !== 'one' || version === undefined) return rest
  const mine = rest.filter((s) => s.kind === 'one' && s.id === last.id)
  const before = mine.at(-1)
  const fits = before?.kind === 'one' && before.now === last.before
  return rest.flatMap((s) => {
    if (s.kind !== 'one' || s.id !== last.id) return [s]
    if (!fits) return []
    return [s === before ? { ...s, now: version } : s]
  })
}

const past: Record<string, string> = {
  accept: 'accepted', assign: 'assigned', fix: 'fixed', park: 'parked', reopen: 'reopened', dismiss: 'dismissed', 'count-only': 'counted only', severity: 'severity of', merge: 'merged', split: 'split off',
}

/** What was done, for the button that takes it back: "dismissed quayside/5". */
export const stepWords = (verb: string, what: string): string => `${past[verb] ?? verb} ${what}`
