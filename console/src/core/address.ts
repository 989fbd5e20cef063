/**
 * Every address of the console, and what it holds beside its path. Pages take their
 * addresses from here and read them by this model: what is usual is left out, so the
 * shortest address that says the same is the one that is shown.
 */

import { ofWords } from './search.ts'

export const orders = ['impact', 'users', 'events', 'newest', 'last_seen'] as const
export type Order = (typeof orders)[number]
export const states = ['open', 'new', 'regressed', 'accepted', 'parked', 'fixed', 'dismissed', 'all'] as const
export type StateFilter = (typeof states)[number]

export const outcomes = ['', 'running', 'clean', 'faulty', 'crashed', 'cut-off'] as const

/** One value of an address: what it is without being there, and which texts mean something. */
interface Value<T> {
  usual: T
  read: (text: string) => T | undefined
}

const text = (usual = ''): Value<string> => ({ usual, read: (t) => t || undefined })
const number = (usual = 0): Value<number> => ({ usual, read: (t) => (/^[0-9]{1,9}$/.test(t) ? Number(t) : undefined) })
const oneOf = <T extends string>(all: readonly T[], usual: T): Value<T> => ({ usual, read: (t) => all.find((x) => x === t) })

/** What every page keeps that searches: the search, its window, by what the time strip is stacked, and whether the facets are open. */
const searching = { search: text(), window: text(), stack: text(), second: text(), facets: oneOf(['', 'open'] as const, '') }

/** The columns of the table of events, with commas between them. */
export const usualColumns = 'release,os.name,browser.name,user.id'

/** What each page keeps in its address. */
const model = {
  issues: { state: oneOf(states, 'open'), order: oneOf(orders, 'impact'), ...searching },
  issue: { event: text('newest'), do: oneOf(['', 'accept', 'take'] as const, ''), ...searching },
  events: { columns: text(usualColumns), open: text(), ...searching },
  users: { ...searching },
  releases: { release: text(), with: text(), environment: text(), window: text() },
  symbols: { release: text(), event: text() },
  received: { hours: number(24) },
  rules: { suggestion: number() },
  'set-up': { runtime: text('vite') },
  grouping: {},
  impact: {},
  sessions: { outcome: oneOf(outcomes, ''), days: number(14) },
  settings: {},
  alerts: { ask: oneOf(['', 'new'] as const, ''), search: text() },
  audit: { project: text(), person: text() },
  round: {},
}

export type Page = keyof typeof model
/** A page of a project. */
export type Tab = Exclude<Page, 'issue' | 'audit'>
/** A page that searches. */
export type Searching = 'issues' | 'issue' | 'events' | 'users'
type Usual<P extends Page> = { [K in keyof (typeof model)[P]]: (typeof model)[P][K] extends Value<infer T> ? T : never }
/** What the address of a page says. */
export type State<P extends Page> = Usual<P>
export type ListQuery = State<'issues'>

/** What an address says; nonsense in it counts as what is usual. */
export function read<P extends Page>(page: P, params: URLSearchParams): State<P> {
  const values = Object.entries(model[page] as Record<string, Value<unknown>>)
  const words = page === 'issues' && !params.has('search') ? params.get('text') : null // of older links
  if (words) params = new URLSearchParams([...params, ['search', ofWords(words)]])
  return Object.fromEntries(values.map(([name, v]) => [name, v.read(params.get(name) ?? '') ?? v.usual])) as State<P>
}

/** The parameters of the shortest address that says the same. */
export function write<P extends Page>(page: P, state: Partial<State<P>>): URLSearchParams {
  const params = new URLSearchParams()
  for (const [name, v] of Object.entries(model[page] as Record<string, Value<unknown>>)) {
    const now = (state as Record<string, unknown>)[name]
    if (now !== undefined && now !== v.usual) params.set(name, String(now))
  }
  return params
}

const withQuery = (path: string, params: URLSearchParams): string => (params.size > 0 ? `${path}?${params}` : path)

/** The address of a page of a project. */
export const pageAt = <P extends Tab>(project: string, page: P, state: Partial<State<P>> = {}): string =>
  withQuery(`/p/${encodeURIComponent(project)}/${page}`, write(page, state))

/** The same page with another search. */
export function searchedAt(path: string, page: Searching, params: URLSearchParams, search: string): string {
  return withQuery(path, write(page, { ...read(page, params), search } as Partial<State<typeof page>>))
}

/** The address of a user of a project, by any name. */
export const userAt = (project: string, who: string): string => `/p/${encodeURIComponent(project)}/users/${encodeURIComponent(who)}`

/** The address of an issue by its id (quayside/12), at one of its events. */
export function issueAt(id: string, event?: string): string {
  const [project = '', n = ''] = id.split('/')
  return withQuery(`/p/${encodeURIComponent(project)}/issues/${n}`, write('issue', event ? { event } : {}))
}

/** The address of the round through a project, or through all. */
export const roundAt = (project?: string): string => (project ? pageAt(project, 'round') : '/round')

/** The address of what one trace ran into. */
export const traceAt = (trace: string): string => `/t/${encodeURIComponent(trace)}`
