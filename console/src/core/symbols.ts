/** What a project's pages say of releases whose traces cannot be read. */
export interface Unread {
  release: string
  events: number
  of: number
  issues: number
  last_seen: string
  again: number
}

const fewest = 3
const share = 0.02
const lately = 14 * 86_400_000

/** The releases worth a word: seen lately, and not for a stray event. The one that costs most comes first. */
export function noticed<U extends Unread>(list: U[], now: number): U[] {
  return list
    .filter((u) => u.events >= fewest && u.events >= u.of * share && now - Date.parse(u.last_seen) < lately)
    .sort((a, b) => b.events - a.events)
}

/** One sentence about a release. */
export function unreadWords(u: Unread, count: (n: number) => string): string {
  const what = u.release === '' ? 'events that name no release' : `events of release ${u.release}`
  const those = u.events >= u.of ? `All ${count(u.events)} ${what}` : `${count(u.events)} of ${count(u.of)} ${what}`
  const issues = u.issues === 1 ? '1 issue' : `${count(u.issues)} issues`
  if (u.again > 0) return `${those} arrived unreadable. Symbols arrived, and the events are being read again.`
  return `${those} arrive unreadable, in ${issues}.`
}

/** Bytes in a unit that people read. */
export function size(n: number): string {
  if (n >= 1 << 30) return `${(n / (1 << 30)).toFixed(1)} GB`
  if (n >= 1 << 20) return `${(n / (1 << 20)).toFixed(1)} MB`
  if (n >= 1 << 10) return `${(n / (1 << 10)).toFixed(1)} kB`
  return `${n} B`
}
