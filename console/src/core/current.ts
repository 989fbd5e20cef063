/** What is known of one question to the service. */
interface Asked {
  status: string
  data?: unknown
  error?: unknown
  dataUpdatedAt: number
}

const statusOf = (error: unknown): number => (error as { status?: number } | null)?.status ?? 0

/** Refused for good: what was asked for is gone, or not for this person. */
const refused = (error: unknown): boolean => statusOf(error) >= 400 && statusOf(error) < 500 && statusOf(error) !== 429

/** Since when a page is not current (milliseconds): the oldest answer among those that could not be read again; 0 when all are current. */
export function notCurrent(list: Asked[]): number {
  const stale = list.filter((q) => q.status === 'error' && q.data !== undefined && q.data !== null && !refused(q.error)).map((q) => q.dataUpdatedAt)
  return stale.length ? Math.min(...stale) : 0
}

/** Whether a part of a page has nothing to show: an answer that is there stays, unless it was refused since. */
export const lost = (q: { error: unknown; data?: unknown }): boolean => q.error != null && (q.data === undefined || refused(q.error))
