/** What a trial of grouping found, in words. */

export interface Outcome {
  events: number
  moved: number
  users: number
  issues: number
  stay: number
  merges: unknown[]
  splits: unknown[]
}

const n = (v: number) => v.toLocaleString('en-GB')
const many = (v: number, what: string) => `${n(v)} ${what}${v === 1 ? '' : 's'}`

/** "26 of 665 events, of 8 users, would be in another issue: 1 merge, 0 splits; 34 of 38 issues stay as they are." */
export function summary(o: Outcome): string {
  if (o.events === 0) return 'No stored event to try it on yet.'
  if (o.moved === 0) return `Nothing would move: all ${many(o.issues, 'issue')} stay as they are.`
  return `${n(o.moved)} of ${many(o.events, 'event')}, of ${many(o.users, 'user')}, would be in another issue: ${many(o.merges.length, 'merge')}, ${many(o.splits.length, 'split')}; ${n(o.stay)} of ${many(o.issues, 'issue')} ${o.stay === 1 ? 'stays' : 'stay'} as they are.`
}

export interface Side {
  number?: number
  new?: number
}

/** What an issue of a trial is called: quayside/3, or one that would be made. */
export function sideName(project: string, s: Side): string {
  return s.new ? `a new issue (${s.new})` : `${project}/${s.number ?? 0}`
}

export interface Part {
  what: string
  value: string
}

/** The parts of a fingerprint before and after: what goes, what stays, what comes. */
export function change(before: Part[], after: Part[]): { sign: '−' | '+' | ' '; what: string; value: string }[] {
  const has = (list: Part[], p: Part) => list.some((x) => x.what === p.what && x.value === p.value)
  return [
    ...before.map((p) => ({ sign: has(after, p) ? (' ' as const) : ('−' as const), ...pick(p) })),
    ...after.filter((p) => !has(before, p)).map((p) => ({ sign: '+' as const, ...pick(p) })),
  ]
}

const pick = (p: Part) => ({ what: p.what, value: p.value })

export interface Regrouping {
  state: string
  read: number
  of: number
  events: number
  made: number
  emptied: number
  stays: number
  undone_by?: string
  why?: string
}

/** Where a regrouping stands. */
export function standing(g: Regrouping): string {
  switch (g.state) {
    case 'reading':
      return `reading: ${n(g.read)} of ${many(g.of, 'variant')}`
    case 'moving':
      return `moving: ${many(g.events, 'event')} so far`
    case 'undoing':
      return 'being undone'
    case 'undone':
      return `undone by ${g.undone_by ?? 'somebody'}`
    case 'stopped':
      return g.why ?? 'stopped'
  }
  if (g.events === 0) return 'nothing had to move'
  const rest = g.stays > 0 ? `; ${many(g.stays, 'event')} without a body stayed` : ''
  return `${many(g.events, 'event')} moved, ${many(g.made, 'issue')} made, ${many(g.emptied, 'number')} ${g.emptied === 1 ? 'leads' : 'lead'} to another issue${rest}`
}

/** Whether a regrouping is under way. */
export const works = (state: string) => state === 'reading' || state === 'moving' || state === 'undoing'

/** How far apart two issues happen, in words: "2 s later". */
export function gap(seconds: number): string {
  if (Math.abs(seconds) < 0.5) return 'at the same moment'
  return `${Math.round(Math.abs(seconds))} s ${seconds > 0 ? 'later' : 'before'}`
}

/** Parts of a stream of server-sent events that are complete, and what is left. */
export function takeEvents(buffer: string): { events: { name: string; data: string }[]; rest: string } {
  const blocks = buffer.split('\n\n')
  const rest = blocks.pop() ?? ''
  return {
    events: blocks.map((b) => ({ name: /^event: (.*)$/m.exec(b)?.[1] ?? 'message', data: /^data: (.*)$/m.exec(b)?.[1] ?? '' })),
    rest,
  }
}
