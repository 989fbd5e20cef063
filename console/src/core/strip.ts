/** The time strip: when events came, as bars that stand on each other. */

export interface Point {
  at: string
  events: number
  users: number
}

export interface Series {
  value: string
  points: Point[]
}

/** What is drawn: for each moment the height of each bar from the ground, and the users. */
export interface Strip {
  /** Seconds since 1970. */
  at: number[]
  /** For each series the sum of it and of those below it, the first lowest. */
  stacked: number[][]
  events: number[]
  users: number[]
  interval: number
}

/** Stacks series; one alone shows its users as well. */
export function strip(series: Series[], interval: number): Strip {
  const first = series[0]?.points ?? []
  const at = first.map((p) => Date.parse(p.at) / 1000)
  const stacked: number[][] = []
  for (const s of series) {
    const below = stacked.at(-1)
    stacked.push(s.points.map((p, i) => p.events + (below?.[i] ?? 0)))
  }
  return { at, stacked, events: stacked.at(-1) ?? [], users: series.length === 1 ? first.map((p) => p.users) : [], interval }
}

/** A release or a deploy that lies in the strip. */
export interface Mark {
  at: number
  words: string
  kind: 'release' | 'deploy'
}

/** The releases and deploys between the ends of a strip, the oldest first. */
export function marksIn(releases: { version: string; first_seen: string; deploys: { environment: string; at: string }[] }[], s: Strip): Mark[] {
  const [from, to] = [s.at[0] ?? 0, (s.at.at(-1) ?? 0) + s.interval]
  const all = releases.flatMap((r): Mark[] => [
    { at: Date.parse(r.first_seen) / 1000, words: `${r.version} first seen`, kind: 'release' },
    ...r.deploys.map((d): Mark => ({ at: Date.parse(d.at) / 1000, words: `${r.version} deployed to ${d.environment}`, kind: 'deploy' })),
  ])
  return all.filter((m) => m.at >= from && m.at < to).sort((a, b) => a.at - b.at)
}

/** The moment that a time lies in. */
export function momentAt(s: Strip, seconds: number): number {
  let i = 0
  while (i + 1 < s.at.length && (s.at[i + 1] ?? Infinity) <= seconds) i++
  return i
}

/** The strip in one sentence, for those who do not see it. */
export function stripInWords(s: Strip, name: (seconds: number) => string, what = 'event'): string {
  const sum = s.events.reduce((a, b) => a + b, 0)
  const most = s.events.reduce((best, n, i) => (n > (s.events[best] ?? 0) ? i : best), 0)
  const of = s.interval % 86_400 === 0 ? 'day' : s.interval % 3600 === 0 ? 'hour' : 'minute'
  const n = s.interval / { day: 86_400, hour: 3600, minute: 60 }[of]
  const head = `${sum.toLocaleString('en-GB')} ${what}s by ${n === 1 ? of : `${n} ${of}s`}`
  return sum === 0 ? `No ${what} in this time` : `${head}, most at ${name(s.at[most] ?? 0)}: ${(s.events[most] ?? 0).toLocaleString('en-GB')}`
}
