/** Weights and thresholds, as people write them. */

export const partNames = ['users', 'share', 'frequency', 'momentum', 'unhandled', 'newest', 'regressed', 'severity'] as const

export const partWords: Record<string, string> = {
  users: 'users affected in 14 days', share: 'of the active users', frequency: 'how often, in 14 days', momentum: 'more often than before', unhandled: 'nothing caught it',
  newest: 'new in the newest release', regressed: 'it came back', severity: 'fatal, error or warning',
}

/** A number as somebody wrote it; undefined for what is none, or out of bounds. */
export function numberOf(text: string, least: number, most: number): number | undefined {
  const n = Number(text.trim().replace(',', '.'))
  return text.trim() !== '' && Number.isFinite(n) && n >= least && n <= most ? n : undefined
}

/** How far an issue moved in a list: ▲ 3, ▼ 2, new. */
export function moved(place: number, was: number | undefined): string {
  if (!was) return 'new'
  return was > place ? `▲ ${was - place}` : was < place ? `▼ ${place - was}` : '='
}

/** A share in per cent, without the noise of binary fractions. */
export const asShare = (x: number): number => Math.round(x * 1e6) / 1e4
