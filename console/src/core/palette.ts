/** What Ctrl K finds: pages, issues, users, releases, searches, actions. */

export interface Found {
  kind: 'page' | 'issue' | 'user' | 'release' | 'search' | 'action'
  name: string
  /** What is said beside it. */
  about?: string
  to?: string
  /** Which action. */
  does?: string
}

/** Those whose name has all words that were typed; names that begin with the text come first. */
export function fitting(list: Found[], text: string, most = 8): Found[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean)
  const rank = (f: Found) => (f.name.toLowerCase().startsWith(text.toLowerCase().trim()) ? 0 : 1)
  return list
    .filter((f) => words.every((w) => f.name.toLowerCase().includes(w)))
    .map((f, i) => ({ f, i }))
    .sort((a, b) => rank(a.f) - rank(b.f) || a.i - b.i)
    .slice(0, most)
    .map((x) => x.f)
}

/** The issue that a text names: 12, or quayside/12. */
export function issueNamed(text: string, project: string): string | undefined {
  const m = /^\s*(?:([\w-]+)\/)?#?(\d{1,9})\s*$/.exec(text)
  const of = m?.[1] ?? project
  return m && of ? `${of}/${m[2]}` : undefined
}
