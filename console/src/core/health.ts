/** How releases do, in words and figures. */

interface ShareOf {
  share: number
  low: number
  high: number
}

/** A share of sessions, with as many places as tell it from all: "99.95 %", "100 %". */
export function percent(share: number): string {
  if (share === 1 || share === 0) return `${100 * share} %`
  const places = share > 0.9 || share < 0.1 ? 2 : 1
  return `${(100 * share).toFixed(places)} %`
}

/** A share with its interval: "98.2 % (97.9 to 98.4)". */
export const withInterval = (s: ShareOf): string => `${percent(s.share)} (${(100 * s.low).toFixed(2)} to ${(100 * s.high).toFixed(2)})`

/** Where the ends of bars lie that show intervals beside each other: from a bit below the lowest to one. */
export const lowest = (list: ShareOf[]): number => Math.max(0, Math.min(0.99, ...list.map((s) => s.low)) - 0.002)

/** Where a share lies on such a bar, from 0 to 1. */
export const place = (share: number, from: number): number => Math.max(0, Math.min(1, (share - from) / Math.max(1e-9, 1 - from)))

/** How a count changed against the one before it: "+12 %"; nothing where there was none. */
export function changed(now: number, before: number): string {
  if (before === 0) return ''
  const by = Math.round(100 * (now / before - 1))
  return by === 0 ? '±0 %' : `${by > 0 ? '+' : '−'}${Math.abs(by)} %`
}

/** Projects in the order in which one looks at them: what is wrong, what regressed, what is new, by name. */
export function worstFirst<T extends { project: string; wrong: string[]; came_back: number; new_issues: number }>(list: T[]): T[] {
  return [...list].sort((a, b) => b.wrong.length - a.wrong.length || b.came_back - a.came_back || b.new_issues - a.new_issues || a.project.localeCompare(b.project))
}
