/** What came in, as bars: one for an hour, or for a day where there are many hours. */

/** The parts of a bar, from the ground up. */
export const parts = ['stored', 'dropped', 'over_allowance', 'refused'] as const
export type Part = (typeof parts)[number]

export type Counts = Record<Part, number>
export interface Hour extends Counts {
  hour: string
}

export interface Bar {
  from: string
  hours: number
  counts: Counts
  total: number
}

/** Above so many hours a bar is a day (UTC). */
const mostHours = 24 * 7

/** One bar for each span from one time up to another, empty ones as well. */
export function bars(hours: Hour[], from: string, to: string): Bar[] {
  const start = Date.parse(from)
  const all = Math.round((Date.parse(to) - start) / 3_600_000)
  const size = all > mostHours ? 24 : 1
  const out: Bar[] = []
  const shift = size === 24 ? new Date(start).getUTCHours() : 0 // so that days begin at midnight
  for (let h = -shift; h < all; h += size) {
    out.push({ from: new Date(start + h * 3_600_000).toISOString(), hours: size, counts: { stored: 0, dropped: 0, over_allowance: 0, refused: 0 }, total: 0 })
  }
  for (const h of hours) {
    const bar = out[Math.floor(((Date.parse(h.hour) - start) / 3_600_000 + shift) / size)]
    if (!bar) continue
    for (const p of parts) {
      bar.counts[p] += h[p]
      bar.total += h[p]
    }
  }
  return out
}

/** What became of events, in words. */
export const names: Record<Part, string> = { stored: 'stored', dropped: 'dropped by rules', over_allowance: 'over the allowance', refused: 'refused' }
