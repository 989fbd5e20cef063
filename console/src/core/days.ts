/** Things that happened, put under the days they happened on. */

/** One day and what happened on it, in the order it came in. */
export interface Day<T> {
  title: string
  items: T[]
}

/** byDay parts a list, newest first, into days in the reader's zone; the order stays. */
export function byDay<T extends { at: string }>(list: T[], now: number): Day<T>[] {
  const days: Day<T>[] = []
  for (const item of list) {
    const title = dayTitle(item.at, now)
    const last = days.at(-1)
    if (last?.title === title) last.items.push(item)
    else days.push({ title, items: [item] })
  }
  return days
}

/** "Today", "Yesterday", "Thursday 26 November", with the year where it is another. */
export function dayTitle(iso: string, now: number): string {
  const at = new Date(iso)
  const today = new Date(now)
  const yesterday = new Date(now)
  // By the calendar: on the days on which clocks change a day is not 24 hours.
  yesterday.setDate(today.getDate() - 1)
  if (at.toDateString() === today.toDateString()) return 'Today'
  if (at.toDateString() === yesterday.toDateString()) return 'Yesterday'
  const year = at.getFullYear() === today.getFullYear() ? {} : ({ year: 'numeric' } as const)
  return at.toLocaleDateString('en-GB', { weekday: 'long', day: 'numeric', month: 'long', ...year }).replace(',', '')
}
