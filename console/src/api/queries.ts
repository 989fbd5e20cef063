import type { QueryClient } from '@tanstack/react-query'
import { infiniteQueryOptions, keepPreviousData, queryOptions } from '@tanstack/react-query'
import type { outcomes } from '../core/address.ts'
import { ofWords } from '../core/search.ts'
import * as api from './client.ts'

/**
 * What pages ask of the API: the key of each question beside its call. What is
 * asked, put there and read again goes by these names alone. What stands below a
 * project's key is read again when something of the project changed (core/changes).
 */

const minute = 60_000

/** The project of quayside/12. */
export const projectOf = (id: string) => id.split('/')[0] ?? ''

/** The key of all that belongs to a project. */
export const allOf = (project: string) => ['p', project]
/** The key of all lists of a project's issues. */
export const listsOf = (project: string) => ['p', project, 'issues']
/** The key of all of an issue that hangs on decisions: its history, or since when. */
export const ofIssue = (project: string, kind: 'history' | 'since', number: number) => ['p', project, kind, number]
/** The key of all notices. */
export const allNotices = ['notices']
/** The key of a project's rules, and of who changed them. */
export const rulesOf = (project: string) => ['rules', project]
export const rulesHistoryOf = (project: string) => ['rules-history', project]

export const me = () => queryOptions({ queryKey: ['me'], queryFn: ({ signal }) => api.me(signal) })
export const people = () => queryOptions({ queryKey: ['people'], queryFn: ({ signal }) => api.people(signal) })
export const members = (project: string) => queryOptions({ queryKey: ['members', project], queryFn: ({ signal }) => api.members(project, signal) })
export const tokens = () => queryOptions({ queryKey: ['tokens'], queryFn: ({ signal }) => api.tokens(signal) })
export const signIns = () => queryOptions({ queryKey: ['sign-ins'], queryFn: ({ signal }) => api.signIns(signal) })
export const carriers = () => queryOptions({ queryKey: ['carriers'], queryFn: ({ signal }) => api.carriers(signal) })
export const noticesWaiting = () => queryOptions({ queryKey: ['notices', 'waiting'], queryFn: ({ signal }) => api.notices({ unseen: true, limit: 1 }, signal), retry: false })
export const notices = () =>
  infiniteQueryOptions({
    queryKey: ['notices', 'list'],
    queryFn: ({ signal, pageParam }) => api.notices({ limit: 50, before: pageParam }, signal),
    initialPageParam: undefined as number | undefined,
    getNextPageParam: (last) => last.next,
    retry: false,
  })

export const projects = () => queryOptions({ queryKey: ['projects'], queryFn: ({ signal }) => api.projects(signal) })
export const overview = () => queryOptions({ queryKey: ['p', 'overview'], queryFn: ({ signal }) => api.overview(signal), staleTime: 5000 })
export const waiting = () => queryOptions({ queryKey: ['p', 'waiting'], queryFn: ({ signal }) => api.round(undefined, { limit: 3 }, signal), retry: false, staleTime: 2000 })
export const project = (name: string) => queryOptions({ queryKey: ['p', name, 'project'], queryFn: ({ signal }) => api.project(name, signal) })
export const setUp = (name: string, runtime: string) => queryOptions({ queryKey: ['set-up', name, runtime], queryFn: ({ signal }) => api.setUp(name, runtime, signal), placeholderData: keepPreviousData })
export const received = (name: string, hours: number) => queryOptions({ queryKey: ['p', name, 'received', hours], queryFn: ({ signal }) => api.received(name, hours, signal), refetchInterval: 15_000 })

export const issues = (name: string, query: Omit<api.IssuePage, 'cursor'>) =>
  infiniteQueryOptions({
    queryKey: ['p', name, 'issues', query],
    queryFn: ({ signal, pageParam }) => api.issues(name, { ...query, cursor: pageParam }, signal),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next,
    placeholderData: keepPreviousData,
  })
/** The issue that was seen last: an application that has just been set up. */
export const arrival = (name: string) => queryOptions({ queryKey: ['p', name, 'issues', 'arrival'], queryFn: ({ signal }) => api.issues(name, { state: 'open', order: 'last_seen', limit: 1, search: '' }, signal) })
/** Issues that another one may be merged into. */
export const mergeTargets = (name: string, text: string) => queryOptions({ queryKey: ['p', name, 'merge', text], queryFn: ({ signal }) => api.issues(name, { state: 'all', order: 'impact', search: ofWords(text), limit: 30 }, signal) })
export const issue = (name: string, number: number) => queryOptions({ queryKey: ['p', name, 'issue', number], queryFn: ({ signal }) => api.issue(name, number, signal) })
const unsearched = { search: '', window: '' }
/** An event of an issue, newest or oldest or by its id, with its place among those that fit a search. */
export const event = (name: string, number: number, which: string, { search, window } = unsearched) =>
  queryOptions({ queryKey: ['p', name, 'event', number, which, ...(search || window ? [search, window] : [])], queryFn: ({ signal }) => api.event(name, number, which, { search, window }, signal) })
export const history = (name: string, number: number) => queryOptions({ queryKey: ['p', name, 'history', number], queryFn: ({ signal }) => api.history(name, number, signal) })
export const since = (name: string, number: number) => queryOptions({ queryKey: ['p', name, 'since', number], queryFn: ({ signal }) => api.since(name, number, signal) })
export const feedback = (name: string, number: number) =>
  infiniteQueryOptions({
    queryKey: ['p', name, 'feedback', number],
    queryFn: ({ signal, pageParam }) => api.feedback(name, number, pageParam, signal),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next,
  })
export const owners = (id: string) => queryOptions({ queryKey: ['p', projectOf(id), 'owners', id], queryFn: ({ signal }) => api.owners(id, signal), staleTime: minute })
export const likely = (id: string) => queryOptions({ queryKey: ['p', projectOf(id), 'likely', id], queryFn: ({ signal }) => api.likely(id, signal), staleTime: minute })
export const beside = (id: string) => queryOptions({ queryKey: ['p', projectOf(id), 'beside', id], queryFn: ({ signal }) => api.beside(id, signal), staleTime: minute / 2 })
export const together = (id: string) => queryOptions({ queryKey: ['p', projectOf(id), 'together', id], queryFn: ({ signal }) => api.together(id, signal), staleTime: minute / 2 })
export const differences = (id: string) => queryOptions({ queryKey: ['differences', id], queryFn: ({ signal }) => api.differences(id, signal), staleTime: 0 })
export const whatGoes = (id: string) => queryOptions({ queryKey: ['deletion', id], queryFn: ({ signal }) => api.whatGoes(id, signal), staleTime: 0 })
export const trace = (id: string) => queryOptions({ queryKey: ['trace', id], queryFn: ({ signal }) => api.trace(id, signal) })
export const whoChanged = (name: string, release: string, file: string, line: number) => queryOptions({ queryKey: ['p', name, 'line', release, file, line], queryFn: ({ signal }) => api.whoChanged(name, release, file, line, signal), staleTime: Infinity })

/**
 * All that a brief of an issue shows, in one request: what it answers is put
 * where each part of the brief looks for it.
 */
export const brief = (client: QueryClient, id: string) => {
  const [name, number] = [projectOf(id), Number(id.split('/')[1])]
  return queryOptions({
    queryKey: ['p', name, 'brief', number],
    staleTime: minute / 2,
    queryFn: async ({ signal }) => {
      const b = await api.brief(name, number, signal)
      client.setQueryData(issue(name, number).queryKey, b.issue)
      if (b.event) client.setQueryData(event(name, number, 'newest').queryKey, b.event)
      client.setQueryData(history(name, number).queryKey, b.history)
      client.setQueryData(owners(id).queryKey, b.owners)
      client.setQueryData(likely(id).queryKey, b.likely)
      client.setQueryData(beside(id).queryKey, b.beside)
      return true
    },
  })
}

export const roundBegun = (name?: string) => queryOptions({ queryKey: ['round', name ?? '', 'begun'], queryFn: ({ signal }) => api.beginRound(name, signal), staleTime: Infinity, gcTime: 0, retry: false })
/** The key of what a round, of a project or of all, has to show now. */
export const roundOf = (name?: string) => ['p', ...(name ? [name] : []), 'round']

export const rules = (name: string) => queryOptions({ queryKey: rulesOf(name), queryFn: ({ signal }) => api.rules(name, 0, signal), staleTime: Infinity })
export const rulesHistory = (name: string) => queryOptions({ queryKey: rulesHistoryOf(name), queryFn: ({ signal }) => api.rulesHistory(name, signal) })
export const rulesWords = () => queryOptions({ queryKey: ['rules-words'], queryFn: ({ signal }) => api.rulesWords(signal), staleTime: Infinity })
export const rulesCheck = (name: string, text: string) => queryOptions({ queryKey: ['rules-check', name, text], queryFn: ({ signal }) => api.checkRules(name, text, signal), staleTime: Infinity, gcTime: minute })
export const suggestion = (name: string, finding: number) => queryOptions({ queryKey: ['suggestion', name, finding], queryFn: ({ signal }) => api.suggestion(name, finding, signal), enabled: finding > 0, staleTime: Infinity, gcTime: 0 })
export const regroupings = (name: string) => queryOptions({ queryKey: ['p', name, 'regroupings'], queryFn: ({ signal }) => api.regroupings(name, signal) })
export const review = (name: string) => queryOptions({ queryKey: ['p', name, 'review'], queryFn: ({ signal }) => api.review(name, signal), staleTime: minute / 2, refetchInterval: (q) => (q.state.data?.making ? 2000 : false) })
export const why = (name: string, ref: string, other: string) => queryOptions({ queryKey: ['why', name, ref, other], queryFn: ({ signal }) => api.why(name, ref, other || undefined, signal) })
export const scoring = (name: string) => queryOptions({ queryKey: ['p', name, 'scoring'], queryFn: ({ signal }) => api.scoring(name, signal) })
export const scoringTrial = (name: string, weights: Record<string, number | undefined>) =>
  queryOptions({ queryKey: ['p', name, 'scoring', 'trial', weights], queryFn: ({ signal }) => api.tryScoring(name, { weights: weights as Record<string, number> }, signal), placeholderData: keepPreviousData })

export const releases = (name: string) => queryOptions({ queryKey: ['p', name, 'releases'], queryFn: ({ signal }) => api.releases(name, signal) })
export const release = (name: string, version: string) => queryOptions({ queryKey: ['p', name, 'release', version], queryFn: ({ signal }) => api.release(name, version, signal) })
export const symbols = (name: string) => queryOptions({ queryKey: ['p', name, 'symbols'], queryFn: ({ signal }) => api.symbols(name, signal) })
export const unread = (name: string) => queryOptions({ queryKey: ['p', name, 'unread'], queryFn: ({ signal }) => api.unreadReleases(name, signal) })
export const symbolCheck = (name: string, of: string | undefined, event: string | undefined) => queryOptions({ queryKey: ['p', name, 'check', of, event], queryFn: ({ signal }) => api.checkSymbols(name, of, event, signal) })

export const keys = (name: string) => queryOptions({ queryKey: ['p', name, 'keys'], queryFn: ({ signal }) => api.keys(name, signal) })
export const status = () => queryOptions({ queryKey: ['status'], queryFn: ({ signal }) => api.status(signal), refetchInterval: 10_000 })
export const queue = () => queryOptions({ queryKey: ['queue'], queryFn: ({ signal }) => api.queue(signal), refetchInterval: 10_000 })
export const sessionCounts = (name: string, days: number) => queryOptions({ queryKey: ['p', name, 'session-counts', days], queryFn: ({ signal }) => api.sessionCounts(name, days, signal), placeholderData: keepPreviousData, staleTime: minute })
export const session = (name: string, id: string) => queryOptions({ queryKey: ['p', name, 'session', id], queryFn: ({ signal }) => api.session(name, id, signal) })
export const sessions = (name: string, outcome: (typeof outcomes)[number]) =>
  infiniteQueryOptions({
    queryKey: ['p', name, 'sessions', outcome],
    queryFn: ({ signal, pageParam }) => api.sessions(name, { ...(outcome ? { outcome } : {}), cursor: pageParam }, signal),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next,
    placeholderData: keepPreviousData,
  })
export const audit = (project: string, person: string) =>
  infiniteQueryOptions({
    queryKey: ['audit', project, person],
    queryFn: ({ signal, pageParam }) => api.audit({ ...(project ? { project } : {}), ...(person ? { person } : {}), cursor: pageParam }, signal),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next,
    placeholderData: keepPreviousData,
  })
