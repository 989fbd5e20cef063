/** Numbers and times as people read them. */

/** 1,204; from ten thousand on 12.4 k, from a million on 1.2 M. */
export function count(n: number): string {
  if (n >= 1_000_000) return `${(n / 1_000_000).toFixed(1)} M`
  return n >= 10_000 ? `${(n / 1000).toFixed(1)} k` : n.toLocaleString('en-GB')
}

/** "1 user", "87 users". */
export function counted(n: number, what: string): string {
  return `${count(n)} ${what}${n === 1 ? '' : 's'}`
}

const units: [number, string][] = [[86_400, 'day'], [3600, 'h'], [60, 'min']]

/** How long ago, in one unit: "2 min ago". */
export function ago(iso: string, now: number): string {
  const seconds = Math.max(0, (now - Date.parse(iso)) / 1000)
  for (const [size, name] of units) {
    const n = Math.floor(seconds / size)
    if (n >= (name === 'day' ? 2 : 1)) return `${n} ${name}${name === 'day' ? 's' : ''} ago`
    if (name === 'day' && n === 1) return `${Math.floor(seconds / 3600)} h ago`
  }
  return 'just now'
}

/** "3 Nov", in UTC: list days are UTC. */
export function day(iso: string): string {
  return new Date(iso).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', timeZone: 'UTC' })
}

/** "3 Nov 2027", in UTC: a day of another year than this one. */
export function date(iso: string): string {
  return new Date(iso).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric', timeZone: 'UTC' })
}

/** "3 Nov, 14:05" in the reader's zone: a time to come, to the minute. */
export function minute(iso: string): string {
  return new Date(iso).toLocaleString('en-GB', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })
}

/** The exact time in the reader's zone, which it names. */
export function exact(iso: string): string {
  return new Date(iso).toLocaleString('en-GB', { day: 'numeric', month: 'short', year: 'numeric', hour: '2-digit', minute: '2-digit', second: '2-digit', timeZoneName: 'short' })
}

/** How long before the error a breadcrumb was: "−1.7 s". */
export function before(iso: string | undefined, error: string): string {
  const ms = iso ? Date.parse(error) - Date.parse(iso) : NaN
  if (Number.isNaN(ms)) return ''
  if (ms < 0) return `+${(-ms / 1000).toFixed(1)} s`
  if (ms < 60_000) return `−${(ms / 1000).toFixed(1)} s`
  return `−${Math.round(ms / 60_000)} min`
}

/** Cuts in the middle, where both ends say something. */
export function cut(s: string, most: number): string {
  return s.length <= most ? s : `${s.slice(0, Math.ceil(most / 2) - 1)}…${s.slice(s.length - Math.floor(most / 2))}`
}

/**
 * The release a fix most likely goes into: the last one with its last number
 * raised. Of a date, a hash or a name nobody can say what comes next: "".
 */
export function nextRelease(last: string): string {
  const core = last.split(/[-+]/)[0] ?? ''
  const m = /^(v?(?:\d{1,5}\.){0,3})(\d{1,5})$/.exec(core)
  if (!m || /^v?(?:19|20)\d\d(?:\.|$)/.test(core)) return '' // a year: versions by the calendar do not count up
  return `${m[1]}${Number(m[2]) + 1}`
}

/** How long something lasted: 340 ms, 12 s, 4 min 10 s, 2 h 5 min. */
export function lasted(ms: number): string {
  if (ms < 1000) return `${Math.round(ms)} ms`
  const s = Math.round(ms / 1000)
  if (s < 60) return `${s} s`
  const min = Math.floor(s / 60)
  if (min < 60) return `${min} min${s % 60 ? ` ${s % 60} s` : ''}`
  return `${Math.floor(min / 60)} h${min % 60 ? ` ${min % 60} min` : ''}`
}

/** A rate with as many places as it needs: "0.4", "12", under 0.1 "<0.1". */
export const rate = (r: number): string => (r > 0 && r < 0.1 ? '<0.1' : r < 10 ? r.toFixed(1) : count(Math.round(r)))
