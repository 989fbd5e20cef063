/** A round of triage: what waits, what was decided, what comes next. */

export interface Item {
  id: string
  state: string
  version: number
}

export interface Settled {
  issue: string
  actor: string
  words: string
}

/**
 * An issue of the round. done: what became of it, and whose doing that was;
 * later: it was put off. unanswered: how many of my actions on it the service
 * has not answered yet; answered: the value of Round.answers at its last answer.
 */
export interface Entry<T extends Item> {
  item: T
  unanswered?: number
  answered?: number
  done?: { words: string; by: 'me' | 'other' } | undefined
  later?: boolean | undefined
}

/** Something I did, that can be undone. */
export interface Step {
  id: string
  kind: 'decision' | 'severity' | 'comment' | 'later' | 'seen'
  comment?: number // its number
}

export interface Round<T extends Item> {
  entries: Entry<T>[]
  at: number // what is claimed; entries.length once nothing waits
  steps: Step[] // the last one last
  answers?: number // how many of my actions the service has answered
}

export const empty = { entries: [], at: 0, steps: [] }

const waits = <T extends Item>(e: Entry<T>): boolean => !e.done && !e.later

/** The next that waits: behind what is claimed first, then from the start; entries.length when none does. */
function next<T extends Item>(entries: Entry<T>[], at: number): number {
  for (let i = 1; i <= entries.length; i++) {
    const n = (at + i) % entries.length
    if (waits(entries[n]!)) return n
  }
  return entries.length
}

const change = <T extends Item>(r: Round<T>, id: string, with_: Partial<Entry<T>>): Entry<T>[] => r.entries.map((e) => (e.item.id === id ? { ...e, ...with_ } : e))

/** I did something about an issue, and the service has not answered yet. */
export const asked = <T extends Item>(r: Round<T>, id: string): Round<T> => ({ ...r, entries: r.entries.map((e) => (e.item.id === id ? { ...e, unanswered: (e.unanswered ?? 0) + 1 } : e)) })

/** The service answered what I did about an issue. */
export function answered<T extends Item>(r: Round<T>, id: string): Round<T> {
  const answers = (r.answers ?? 0) + 1
  return { ...r, answers, entries: r.entries.map((e) => (e.item.id === id ? { ...e, unanswered: (e.unanswered ?? 1) - 1, answered: answers } : e)) }
}

/**
 * Takes in what waits now. New issues come behind the others: nothing jumps. What waits no more, and not by me, was settled by others.
 * since is Round.answers when the list was asked for: what the list says of an issue that I acted on later is out of date.
 */
export function join<T extends Item>(r: Round<T>, items: T[], settled: Settled[], since = Infinity): Round<T> {
  const now = new Map(items.map((i) => [i.id, i]))
  const gone = new Map(settled.map((s) => [s.issue, s]))
  const entries = r.entries.map((e) => {
    if (e.unanswered || (e.answered ?? 0) > since) return e
    const item = now.get(e.item.id)
    if (item) return { ...e, item, done: e.done?.by === 'other' ? undefined : e.done }
    const s = gone.get(e.item.id)
    return waits(e) && s ? { ...e, done: { words: s.actor ? `${s.actor}: ${s.words}` : s.words, by: 'other' as const } } : e
  })
  const known = new Set(r.entries.map((e) => e.item.id))
  for (const i of items) if (!known.has(i.id)) entries.push({ item: i })
  const ended = r.at >= r.entries.length
  return { ...r, entries, at: ended ? next(entries, entries.length - 1) : r.at }
}

/** I decided: the next comes at once. */
export function decided<T extends Item>(r: Round<T>, id: string, words: string): Round<T> {
  const entries = change(r, id, { done: { words, by: 'me' }, later: undefined })
  const here = entries.findIndex((e) => e.item.id === id)
  return { ...r, entries, at: r.at === here ? next(entries, here) : r.at, steps: [...r.steps, { id, kind: 'decision' }] }
}

/** What the service made of the decision; it may have been undone before the answer came. */
export const confirmed = <T extends Item>(r: Round<T>, id: string, words: string): Round<T> => ({ ...r, entries: r.entries.map((e) => (e.item.id === id && e.done?.by === 'me' ? { ...e, done: { words, by: 'me' } } : e)) })

/** I did something that is no decision: it stays claimed. */
export const stepped = <T extends Item>(r: Round<T>, step: Step): Round<T> => ({ ...r, steps: [...r.steps, step] })

/** The last thing I did about an issue was refused, or is undone: the issue is claimed, and waits again unless that was no decision. */
export function again<T extends Item>(r: Round<T>, id: string): Round<T> {
  const n = r.steps.findLastIndex((s) => s.id === id)
  const kind = r.steps[n]?.kind
  const entries = kind === 'severity' || kind === 'comment' ? r.entries : change(r, id, { done: undefined, later: undefined })
  return { ...r, entries, at: entries.findIndex((e) => e.item.id === id), steps: r.steps.toSpliced(n, n < 0 ? 0 : 1) }
}

/** Put off, or seen: the next comes. */
export function later<T extends Item>(r: Round<T>, id: string, kind: 'later' | 'seen'): Round<T> {
  const entries = change(r, id, { later: true })
  return { ...r, entries, at: next(entries, r.at), steps: [...r.steps, { id, kind }] }
}

/** Looks at another one. */
export const look = <T extends Item>(r: Round<T>, at: number): Round<T> => (r.entries.length === 0 ? r : { ...r, at: Math.max(0, Math.min(r.entries.length - 1, at)) })

/** Replaces an issue by what it is now. */
export const renewed = <T extends Item>(r: Round<T>, id: string, item: Partial<T>): Round<T> => ({ ...r, entries: r.entries.map((e) => (e.item.id === id ? { ...e, item: { ...e.item, ...item } } : e)) })

/** How many still wait, and how many were dealt with, by whom. */
export function tally<T extends Item>(r: Round<T>): { waiting: number; mine: number; others: number; later: number } {
  return {
    waiting: r.entries.filter(waits).length, mine: r.entries.filter((e) => e.done?.by === 'me').length,
    others: r.entries.filter((e) => e.done?.by === 'other').length, later: r.entries.filter((e) => e.later && !e.done).length,
  }
}

/** The ones that come next, to be fetched ahead. */
export function upcoming<T extends Item>(r: Round<T>, most: number): T[] {
  const out: T[] = []
  for (let i = 1; i < r.entries.length && out.length < most; i++) {
    const e = r.entries[(r.at + i) % r.entries.length]!
    if (waits(e)) out.push(e.item)
  }
  return out
}

const severities = ['debug', 'info', 'warning', 'error', 'fatal']

/** The severity above or below one; undefined at the end. */
export const severer = (severity: string, by: 1 | -1): string | undefined => {
  const i = severities.indexOf(severity)
  return i < 0 ? undefined : severities[i + by]
}

/** What a reason says behind its kind: "regressed in 4.2.1", "surging: 30 events". */
export const sequel = (words: string): string => words.replace(/^(new|came back|woken:|surging:)\s*/, '')

/** What of a history people did, and did not take back. */
export const byPeople = <T extends { actor: string; kind: string; undone?: boolean }>(history: T[]): T[] => history.filter((h) => h.actor !== '' && !h.undone && h.kind !== 'undo')

/** How long a round took: 4 min 12 s. */
export const took = (seconds: number): string => (seconds < 60 ? `${seconds} s` : `${Math.floor(seconds / 60)} min ${String(seconds % 60).padStart(2, '0')} s`)
