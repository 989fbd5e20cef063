import type { ListQuery } from './address.ts'
import { option, shell } from './shell.ts'

/** What is searched, of one issue or of all. */
export interface Scope {
  project: string
  issue?: number | undefined
  search: string
  window: string
}

/** The options of a search at the command line. */
export const searchOptions = (q: { search: string; window: string }): string[] => [...(q.search ? [option('--search', q.search)] : []), ...(q.window ? [option('--window', q.window)] : [])]

/** The parameters of a search in a request. */
export const searchFields = (q: { search: string; window: string }): Record<string, string> => ({ ...(q.search ? { search: q.search } : {}), ...(q.window ? { window: q.window } : {}) })

/** A command about a search: of one issue, or of all of a project. */
export function searchCommand(command: string, s: Scope, ...more: string[]): string {
  return [`firethorn ${command}`, s.issue ? option('--issue', `${s.project}/${s.issue}`) : option('--project', s.project), ...searchOptions(s), ...more].join(' ')
}

/** A request about a search; path is what stands behind the project's. */
export function searchRequest(origin: string, path: string, s: Scope, more: Record<string, string> = {}): string {
  const p = new URLSearchParams({ ...(s.issue ? { issue: String(s.issue) } : {}), ...searchFields(s), ...more })
  return `curl -H "Authorization: Bearer $FIRETHORN_TOKEN" ${shell(`${origin}/api/projects/${s.project}${path}${p.size > 0 ? `?${p}` : ''}`)}`
}

/** The same list at the command line. */
export function listCommand(project: string, q: ListQuery): string {
  const parts = ['firethorn issue list', option('--project', project)]
  if (q.state !== 'open') parts.push(option('--state', q.state))
  if (q.order !== 'impact') parts.push(option('--order', q.order))
  parts.push(...searchOptions(q))
  return parts.join(' ')
}

/** The same list as a request. */
export function listRequest(origin: string, project: string, q: ListQuery): string {
  const p = new URLSearchParams({ state: q.state, order: q.order, ...searchFields(q) })
  return `curl -H "Authorization: Bearer $FIRETHORN_TOKEN" ${shell(`${origin}/api/projects/${project}/issues?${p}`)}`
}

/**
 * Merges what the service answers now into what is on the screen: rows keep
 * their places and get new figures, rows that have left the list stay as they
 * were seen before, and issues that are new wait to be asked for.
 */
export function merge<T extends { id: string }>(shown: string[] | undefined, now: T[], before?: Map<string, T>): { rows: T[]; waiting: number } {
  if (!shown) return { rows: now, waiting: 0 }
  const byID = new Map(now.map((i) => [i.id, i]))
  const known = new Set(shown)
  return { rows: shown.flatMap((id) => byID.get(id) ?? before?.get(id) ?? []), waiting: now.filter((i) => !known.has(i.id)).length }
}

/** The rows that the service does not answer any more. */
export function goneFrom<T extends { id: string }>(rows: T[], now: T[]): string[] {
  const there = new Set(now.map((i) => i.id))
  return rows.flatMap((i) => (there.has(i.id) ? [] : [i.id]))
}

/** The row to stand on after one has gone from the rows: the same issue, else the one that took its place. */
export function standOn(ids: string[], selected: string | undefined, at: number): string | undefined {
  if (selected !== undefined && ids.includes(selected)) return selected
  return ids[Math.max(0, Math.min(at, ids.length - 1))]
}
