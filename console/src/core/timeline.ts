/** A time line: days with events, and what happened to the project and the issue. */

export interface Mark {
  at: string
  kind: string
  words: string
  release?: string | undefined
  environment?: string | undefined
  from?: string | undefined
}

export interface Placed<T> {
  x: number
  of: T
}

export interface Label {
  x: number
  lane: number
  text: string
  at: string
}

export interface Range {
  from: number
  to: number
  words: string
}

export interface TimeLine {
  days: string[]
  x: (at: string) => number
  releases: Label[]
  deploys: Placed<Mark>[]
  decisions: Placed<Mark>[]
  ranges: Range[]
}

const dayLength = 86_400_000

/** Lays a time line out over a width: from the first thing on it to today. room is how wide a letter of a label is; lanes bounds how many labels stand over each other. */
export function timeLine(dates: string[], marks: Mark[], now: number, width: number, room = 7.5, lanes = 3): TimeLine {
  const times = [...dates.map((d) => Date.parse(d + 'T00:00:00Z')), ...marks.map((m) => Date.parse(m.at))]
  const first = Math.floor(Math.min(now, ...times) / dayLength)
  const last = Math.max(Math.floor(now / dayLength), first)
  const days: string[] = []
  for (let d = first; d <= last; d++) days.push(new Date(d * dayLength).toISOString().slice(0, 10))
  const x = (at: string) => Math.max(0, Math.min(width, ((Date.parse(at) / dayLength - first) / (last - first + 1)) * width))
  const releases: Label[] = []
  const ends: number[] = Array.from({ length: lanes }, () => -Infinity)
  for (const m of marks.filter((m) => m.kind === 'release')) {
    const text = m.release ?? ''
    const at = x(m.at)
    const free = ends.findIndex((e) => e <= at)
    const lane = free < 0 ? lanes - 1 : free
    ends[lane] = at + text.length * room + 8
    releases.push({ x: at, lane, text, at: m.at })
  }
  const decided = marks.filter((m) => !['release', 'deploy', 'first_seen'].includes(m.kind))
  const outOf = (release: string | undefined) => releases.find((r) => r.text === release)?.x
  const ranges = decided.filter((m) => m.kind === 'regressed').flatMap((m): Range[] => {
    const from = outOf(m.from)
    return from === undefined ? [] : [{ from, to: Math.max(from, x(m.at)), words: `between ${m.from} and ${m.release}` }]
  })
  return {
    days, x, releases, ranges,
    deploys: marks.filter((m) => m.kind === 'deploy').map((m) => ({ x: x(m.at), of: m })),
    decisions: decided.map((m) => ({ x: x(m.at), of: m })),
  }
}

/** Fills the days without events in. */
export function everyDay<T extends { day: string; events: number; users: number }>(days: string[], have: T[]): { day: string; events: number; users: number }[] {
  const by = new Map(have.map((d) => [d.day, d]))
  return days.map((day) => by.get(day) ?? { day, events: 0, users: 0 })
}

/** The time line in one sentence, for those who do not see it. */
export function lineInWords(t: TimeLine, events: number): string {
  const releases = t.releases.map((r) => `${r.text} on ${r.at.slice(0, 10)}`).join(', ')
  const back = t.decisions.filter((d) => d.of.kind === 'regressed').map((d) => `came back on ${d.of.at.slice(0, 10)}`).join(', ')
  const n = (of: number, what: string) => `${of.toLocaleString('en-GB')} ${what}${of === 1 ? '' : 's'}`
  return [`${n(t.days.length, 'day')}, ${n(events, 'event')}`, releases && `releases: ${releases}`, back].filter(Boolean).join('; ')
}
