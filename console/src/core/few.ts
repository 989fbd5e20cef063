/** How many rows a page shows at once; where there are more, one looks for them. */
export const most = 200

/** The places of the rows whose texts hold all words that somebody looks for, the first of them, and how many there are. */
export function few(texts: readonly string[], look: string): { shown: number[]; fit: number } {
  const words = look.toLowerCase().split(/\s+/).filter(Boolean)
  const fit = texts.flatMap((text, i) => (words.every((w) => text.toLowerCase().includes(w)) ? [i] : []))
  return { shown: fit.slice(0, most), fit: fit.length }
}
