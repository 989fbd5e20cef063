/** What merging issues needs to know of them. */
export interface Weighed {
  id: string
  impact: number
  events: number
}

/** The issue that stays unless somebody says otherwise: the one that hurts most, then the largest, then the oldest. */
export function heaviest(list: Weighed[]): string {
  const number = (id: string) => Number(id.split('/')[1])
  return [...list].sort((a, b) => b.impact - a.impact || b.events - a.events || number(a.id) - number(b.id))[0]?.id ?? ''
}

/** What the button that merges says. */
export function mergeWords(from: string[], into: string): string {
  if (!into || from.length === 0) return 'Merge'
  return `Merge ${from.length === 1 ? from[0] : `${from.length} issues`} into ${into}`
}

/** Marks or unmarks an issue. */
export function toggle(marked: string[], id: string): string[] {
  return marked.includes(id) ? marked.filter((m) => m !== id) : [...marked, id]
}
