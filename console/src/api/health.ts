import { keepPreviousData, queryOptions } from '@tanstack/react-query'
import { answer, api } from './client.ts'
import type { components } from './schema.d.ts'

/** What pages ask about how releases do. */

export type Quality = components['schemas']['Quality']
export type Qualities = components['schemas']['Qualities']
export type ReleaseIssue = components['schemas']['ReleaseIssue']
export type Comparison = components['schemas']['ReleaseComparison']
export type ShareOf = components['schemas']['ShareOf']
export type Verdict = components['schemas']['QualityVerdict']

export interface Scope {
  project: string
  environment: string
  window: string
}

const minute = 60_000
const asked = (s: Scope) => ({ ...(s.environment ? { environment: s.environment } : {}), ...(s.window ? { window: s.window } : {}) })
const kept = { placeholderData: keepPreviousData, staleTime: minute / 2, refetchInterval: minute, retry: false } as const
const path = (s: Scope) => ({ project: s.project })
const key = (s: Scope, kind: string, ...more: string[]) => ['p', s.project, kind, s.environment, s.window, ...more]

export const qualities = (s: Scope) => queryOptions({ ...kept, queryKey: key(s, 'qualities'), queryFn: ({ signal }) => answer(api.GET('/api/projects/{project}/quality', { params: { path: path(s), query: asked(s) }, signal })) })
export const quality = (s: Scope, version: string) => queryOptions({ ...kept, queryKey: key(s, 'quality', version), queryFn: ({ signal }) => answer(api.GET('/api/projects/{project}/release/quality', { params: { path: path(s), query: { ...asked(s), version } }, signal })) })
export const uptake = (s: Scope) => queryOptions({ ...kept, queryKey: key(s, 'uptake'), queryFn: ({ signal }) => answer(api.GET('/api/projects/{project}/quality/uptake', { params: { path: path(s), query: asked(s) }, signal })) })
export const devices = (s: Scope, version: string) => queryOptions({ ...kept, queryKey: key(s, 'devices', version), queryFn: ({ signal }) => answer(api.GET('/api/projects/{project}/release/devices', { params: { path: path(s), query: { ...asked(s), version } }, signal })) })
export const releaseIssues = (s: Scope, version: string) => queryOptions({ ...kept, queryKey: key(s, 'release-issues', version), queryFn: ({ signal }) => answer(api.GET('/api/projects/{project}/release/issues', { params: { path: path(s), query: { ...asked(s), version } }, signal })) })
export const comparison = (s: Scope, a: string, b: string) => queryOptions({ ...kept, queryKey: key(s, 'comparison', a, b), queryFn: ({ signal }) => answer(api.GET('/api/projects/{project}/release/compare', { params: { path: path(s), query: { ...asked(s), a, b } }, signal })) })
