import { infiniteQueryOptions, keepPreviousData, queryOptions } from '@tanstack/react-query'
import { searchFields } from '../core/list.ts'
import type { Scope } from '../core/list.ts'
import { answer, api, releases } from './client.ts'
import type { components } from './schema.d.ts'

/** What pages ask about searches, and about the people that events hit. */

export type Facet = components['schemas']['Facet']
export type Facets = components['schemas']['Facets']
export type FacetValue = components['schemas']['FacetValue']
export type Somebody = components['schemas']['Somebody']
export type UserTrail = components['schemas']['UserTrail']
export type TrailEntry = components['schemas']['TrailEntry']
export type SavedSearch = components['schemas']['SavedSearch']
export type Offer = components['schemas']['Offer']
export type EventRow = components['schemas']['EventRow']

const minute = 60_000
const of = (s: Scope) => ({ path: { project: s.project } })
const query = (s: Scope) => ({ ...searchFields(s), ...(s.issue ? { issue: s.issue } : {}) })
const key = (s: Scope, kind: string, ...more: unknown[]) => ['p', s.project, kind, s.issue ?? 0, s.search, s.window, ...more]
const slow = { placeholderData: keepPreviousData, staleTime: minute / 2, retry: false } as const

export const facets = (s: Scope, by: string[] = [], limit = 6) =>
  queryOptions({ ...slow, queryKey: key(s, 'facets', by, limit), queryFn: ({ signal }) => answer(api.GET('/api/projects/{project}/facets', { params: { ...of(s), query: { ...query(s), limit, ...(by.length > 0 ? { by } : {}) } }, signal })) })

export const against = (s: Scope, limit: number) =>
  queryOptions({ ...slow, queryKey: key(s, 'against', limit), queryFn: ({ signal }) => answer(api.GET('/api/projects/{project}/facets/against', { params: { ...of(s), query: { ...query(s), limit } }, signal })) })

const zone = Intl.DateTimeFormat().resolvedOptions().timeZone

export const histogram = (s: Scope, by: string) =>
  queryOptions({ ...slow, refetchInterval: minute, queryKey: key(s, 'histogram', by), queryFn: ({ signal }) => answer(api.GET('/api/projects/{project}/histogram', { params: { ...of(s), query: { ...query(s), zone, limit: 6, ...(by ? { by } : {}) } }, signal })) })

/** The releases and deploys that are marked on a time strip. */
export const marks = (project: string) => queryOptions({ queryKey: ['p', project, 'marks'], queryFn: ({ signal }) => releases(project, signal), staleTime: 5 * minute, retry: false })

export const affected = (s: Scope) => queryOptions({ ...slow, queryKey: key(s, 'affected'), queryFn: ({ signal }) => answer(api.GET('/api/projects/{project}/affected', { params: { ...of(s), query: query(s) }, signal })) })

export const usersPage = (s: Scope, cursor: string | undefined, limit: number, signal?: AbortSignal) =>
  answer(api.GET('/api/projects/{project}/users', { params: { ...of(s), query: { ...query(s), limit, ...(cursor ? { cursor } : {}) } }, signal }))

export const users = (s: Scope, limit = 50) =>
  infiniteQueryOptions({ ...slow, queryKey: key(s, 'found-users', limit), queryFn: ({ signal, pageParam }) => usersPage(s, pageParam, limit, signal), initialPageParam: undefined as string | undefined, getNextPageParam: (last) => last.next })

export const events = (s: Scope, columns: string[]) =>
  infiniteQueryOptions({
    ...slow,
    queryKey: key(s, 'found-events', columns),
    queryFn: ({ signal, pageParam }) => answer(api.GET('/api/projects/{project}/events', { params: { ...of(s), query: { ...searchFields({ ...s, window: s.window || '7d' }), limit: 100, ...(columns.length > 0 ? { columns } : {}), ...(pageParam ? { cursor: pageParam } : {}) } }, signal })),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next,
  })

export const event = (project: string, id: string) => queryOptions({ queryKey: ['p', project, 'found-event', id], queryFn: ({ signal }) => answer(api.GET('/api/projects/{project}/events/{event}', { params: { path: { project, event: id } }, signal })), staleTime: Infinity })

export const user = (project: string, who: string) => queryOptions({ ...slow, queryKey: ['p', project, 'user', who], queryFn: ({ signal }) => answer(api.GET('/api/projects/{project}/users/{who}', { params: { path: { project, who } }, signal })) })

export const trail = (project: string, who: string) =>
  infiniteQueryOptions({
    ...slow,
    queryKey: ['p', project, 'trail', who],
    queryFn: ({ signal, pageParam }) => answer(api.GET('/api/projects/{project}/users/{who}/trail', { params: { path: { project, who }, query: { limit: 30, ...(pageParam ? { cursor: pageParam } : {}) } }, signal })),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next,
  })

export const complete = (project: string, search: string, at: number, signal?: AbortSignal) => answer(api.GET('/api/projects/{project}/search/complete', { params: { path: { project }, query: { search, at, limit: 12 } }, signal }))

export const attributes = (project: string) => queryOptions({ queryKey: ['attributes', project], queryFn: ({ signal }) => answer(api.GET('/api/projects/{project}/attributes', { params: { path: { project } }, signal })), staleTime: minute })

/** The key of a project's saved searches. */
export const searchesOf = (project: string) => ['p', project, 'searches']
export const searches = (project: string, counts: boolean) => queryOptions({ queryKey: [...searchesOf(project), counts], queryFn: ({ signal }) => answer(api.GET('/api/projects/{project}/searches', { params: { path: { project }, query: counts ? { counts } : {} }, signal })), staleTime: minute / 2 })
export const saveSearch = (project: string, name: string, body: components['schemas']['SaveSearch']) => answer(api.PUT('/api/projects/{project}/searches/{name}', { params: { path: { project, name } }, body }))
export const deleteSearch = (project: string, name: string, shared: boolean) => answer(api.DELETE('/api/projects/{project}/searches/{name}', { params: { path: { project, name }, query: shared ? { shared } : {} } }))
