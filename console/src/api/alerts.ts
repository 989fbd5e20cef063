import { queryOptions } from '@tanstack/react-query'
import { answer, api } from './client.ts'
import type { components } from './schema.d.ts'

/** Requests about alerts, destinations and deliveries. */

export type Destination = components['schemas']['Destination']
export type Delivery = components['schemas']['Delivery']
export type DeliveryDetail = components['schemas']['DeliveryDetail']
export type Alert = components['schemas']['Alert']
export type AlertRule = components['schemas']['AlertRule']
export type AlertPause = components['schemas']['AlertPause']
export type SetDestination = components['schemas']['SetDestination']
export type Wishes = components['schemas']['Wishes']

/** The keys of all destinations, and of all lists of deliveries. */
export const destinationsKey = ['destinations']
export const deliveriesKey = ['deliveries']

const often = { refetchInterval: 10_000, retry: false } as const

export const alerts = (project: string) => queryOptions({ ...often, queryKey: ['p', project, 'alerts'], queryFn: ({ signal }) => answer(api.GET('/api/projects/{project}/alerts', { params: { path: { project }, query: { limit: 100 } }, signal })) })
export const pauses = () => queryOptions({ refetchInterval: 60_000, retry: false, queryKey: ['alert-pauses'], queryFn: ({ signal }) => answer(api.GET('/api/alert-pauses', { signal })) })
export const destinations = () => queryOptions({ ...often, queryKey: destinationsKey, queryFn: ({ signal }) => answer(api.GET('/api/destinations', { signal })) })
export const deliveries = (destination: string, state: string) => queryOptions({ ...often, queryKey: [...deliveriesKey, destination, state], queryFn: ({ signal }) => answer(api.GET('/api/deliveries', { params: { query: { limit: 50, ...(destination ? { destination } : {}), ...(state ? { state } : {}) } }, signal })) })
export const delivery = (id: string) => queryOptions({ queryKey: ['delivery', id], queryFn: ({ signal }) => answer(api.GET('/api/deliveries/{id}', { params: { path: { id } }, signal })) })
export const wishes = () => queryOptions({ queryKey: ['wishes'], retry: false, queryFn: ({ signal }) => answer(api.GET('/api/me/notices', { signal })) })

export const createDestination = (body: SetDestination) => answer(api.POST('/api/destinations', { body }))
export const removeDestination = (name: string) => answer(api.DELETE('/api/destinations/{name}', { params: { path: { name } } }))
export const testDestination = (name: string) => answer(api.POST('/api/destinations/{name}/test', { params: { path: { name } } }))
export const retryDelivery = (id: string) => answer(api.POST('/api/deliveries/{id}/retry', { params: { path: { id } } }))
export const pauseAlert = (project: string, rule: string, until: string) => answer(api.POST('/api/projects/{project}/alerts/pause', { params: { path: { project } }, body: { rule, until } }))
export const resumeAlert = (project: string, rule: string) => answer(api.POST('/api/projects/{project}/alerts/resume', { params: { path: { project } }, body: { rule } }))
export const setWishes = (body: components['schemas']['SetWishes']) => answer(api.PATCH('/api/me/notices', { body }))
