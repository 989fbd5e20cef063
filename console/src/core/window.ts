/** The time window of searches: none is the usual one, of the last seven days. */

export const usualDays = 7

/** The windows that are offered, the shortest first. */
export const windows: readonly (readonly [string, string])[] = [['24h', '24 hours'], ['', '7 days'], ['14d', '14 days'], ['30d', '30 days'], ['all', 'all']]

const hour = 3_600_000

/** A window between two times (milliseconds), to the minute, as addresses and requests have it. */
export const between = (from: number, to: number): string => `${minute(Math.floor(from / 60_000) * 60_000)}..${minute(Math.ceil(to / 60_000) * 60_000)}`

const minute = (at: number): string => new Date(at).toISOString().slice(0, 16) + 'Z'

/** The two ends of a window that names them. */
export function ends(window: string): [number, number] | undefined {
  const m = /^(\d{4}-\d\d-\d\dT\d\d:\d\dZ)\.\.(\d{4}-\d\d-\d\dT\d\d:\d\dZ)$/.exec(window)
  if (!m) return undefined
  const [from, to] = [Date.parse(m[1] ?? ''), Date.parse(m[2] ?? '')]
  return from < to ? [from, to] : undefined
}

/** How many hours a window reaches back that names its length; 0: all. */
export function hoursBack(window: string): number | undefined {
  if (window === '') return usualDays * 24
  if (window === 'all') return 0
  const m = /^(\d{1,5})([hdw])$/.exec(window)
  return m ? Number(m[1]) * ({ h: 1, d: 24, w: 168 }[m[2] ?? 'h'] ?? 1) : undefined
}

/** A window twice as wide about the same middle; one that reaches now becomes the next that is offered. */
export function wider(window: string, now: number): string {
  const two = ends(window)
  if (two) {
    const [from, to] = two
    const half = (to - from) / 2
    if (to + half < now) return between(from - half, to + half)
    return offered((now - (from - half)) / hour)
  }
  if (window === 'all') return window
  return offered((hoursBack(window) ?? usualDays * 24) + 1)
}

const offered = (hours: number): string => windows.find(([w]) => (hoursBack(w) ?? 0) >= hours)?.[0] ?? 'all'

/** A window in words: "7 days", "20 Nov, 10:00 to 14:00". */
export function windowInWords(window: string): string {
  const named = windows.find(([w]) => w === window)
  if (named) return named[0] === 'all' ? 'all that is kept' : `the last ${named[1]}`
  const two = ends(window)
  if (!two) return window
  const [from, to] = two.map((t) => new Date(t).toLocaleString('en-GB', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })) as [string, string]
  return `${from} to ${to}`
}
