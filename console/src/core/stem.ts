/**
 * Stem and berry: one mark a day. The stem's height is the number of events on
 * a log scale, the berry's area the number of distinct users. A tall bare stem
 * is one machine in a loop; a short one with a fat berry is many people once.
 */

export interface Day {
  day: string
  events: number
  users: number
}

export interface Mark {
  x: number
  top: number
  r: number
  day: Day
}

export interface Scale {
  events: number
  users: number
}

/** One scale for all marks that stand together. */
export function scaleOf(lists: Day[][]): Scale {
  const all = lists.flat()
  return { events: Math.max(1, ...all.map((d) => d.events)), users: Math.max(1, ...all.map((d) => d.users)) }
}

/** Places the marks in a box; days without events have none. */
export function marks(days: Day[], scale: Scale, width: number, height: number, berry: number): Mark[] {
  const step = width / Math.max(1, days.length)
  const room = height - 2 * berry - 1
  const out: Mark[] = []
  days.forEach((day, i) => {
    if (day.events === 0) return
    const share = Math.log1p(day.events) / Math.log1p(scale.events)
    const r = day.users === 0 ? 0 : Math.max(1.1, berry * Math.sqrt(day.users / scale.users))
    out.push({ x: step * (i + 0.5), top: height - 1 - Math.max(2, share * room), r, day })
  })
  return out
}

/** The same in words, for those who do not see it. */
export function inWords(days: Day[], events: number, users: number): string {
  const most = days.reduce<Day | undefined>((a, d) => (d.events > (a?.events ?? 0) ? d : a), undefined)
  const sum = days.reduce((n, d) => n + d.events, 0)
  const head = `${days.length} days: ${sum.toLocaleString('en-GB')} events`
  const all = `; in all ${events.toLocaleString('en-GB')} events, ${users.toLocaleString('en-GB')} users`
  return most ? `${head}, most on ${short(most.day)}${all}` : head + all
}

const short = (iso: string): string => new Date(iso + 'T00:00:00Z').toLocaleDateString('en-GB', { day: 'numeric', month: 'short', timeZone: 'UTC' })
