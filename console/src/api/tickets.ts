import { queryOptions } from '@tanstack/react-query'
import { answer, api } from './client.ts'
import type { components } from './schema.d.ts'

/** Requests about the tickets of issues. */

export type Ticket = components['schemas']['Ticket']
export type Ticketed = components['schemas']['Ticketed']

const parts = (id: string) => {
  const [project = '', number] = id.split('/')
  return { project, number: Number(number) }
}

export const trackers = (project: string) => queryOptions({ queryKey: ['p', project, 'trackers'], retry: false, queryFn: ({ signal }) => answer(api.GET('/api/projects/{project}/trackers', { params: { path: { project } }, signal })) })
export const makeTicket = (id: string, body: components['schemas']['MakeTicket']) => answer(api.POST('/api/issues/{project}/{number}/tickets', { params: { path: parts(id) }, body }))
export const unlinkTicket = (id: string, t: Ticket) => answer(api.DELETE('/api/issues/{project}/{number}/tickets', { params: { path: parts(id), query: { in: t.destination, key: t.key } } }))
