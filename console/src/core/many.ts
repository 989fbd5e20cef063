/** Deciding about many issues at once. */

/** The marks after a click with the shift key held: all between the last one that was marked and this one, too. */
export function markRange(rows: string[], marked: string[], last: string | undefined, id: string): string[] {
  const from = last === undefined ? -1 : rows.indexOf(last)
  const to = rows.indexOf(id)
  if (from < 0 || to < 0) return marked.includes(id) ? marked : [...marked, id]
  const between = rows.slice(Math.min(from, to), Math.max(from, to) + 1)
  return [...marked, ...between.filter((r) => !marked.includes(r))]
}

const done: Record<string, string> = { accept: 'accepted', assign: 'assigned', fix: 'marked fixed', park: 'parked', reopen: 'reopened', dismiss: 'dismissed', 'count-only': 'counted only' }

const issues = (n: number) => `${n.toLocaleString('en-GB')} issue${n === 1 ? '' : 's'}`

/** Which were left as they are, and why. */
function left(refused: { issue: string; why: string }[]): string {
  const first = refused[0]
  if (!first) return ''
  return refused.length === 1 ? `; ${first.issue} stays as it is: ${first.why}` : `; ${issues(refused.length)} stay as they are, ${first.issue} for one: ${first.why}`
}

/** What is said once many were decided about. */
export function manyWords(verb: string, count: number, refused: { issue: string; why: string }[]): string {
  return `${issues(count)} ${done[verb] ?? verb}${left(refused)}${count > 0 ? '. Undo takes it back' : ''}`
}

/** What is said once that was undone. */
export function undoneWords(count: number, refused: { issue: string; why: string }[]): string {
  return `undone for ${issues(count)}${left(refused)}`
}

/** What is asked before a decision about all that fit. */
export function askWords(verb: string, count: number): string {
  const n = issues(count)
  const words: Record<string, string> = { accept: `Accept ${n}`, assign: `Assign ${n}`, fix: `Mark ${n} fixed`, park: `Park ${n}`, reopen: `Reopen ${n}`, dismiss: `Dismiss ${n}`, 'count-only': `Count ${n} only` }
  return words[verb] ?? `${verb} ${n}`
}
