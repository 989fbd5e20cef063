import { useQuery } from '@tanstack/react-query'
import * as ask from '../api/queries.ts'
import { roleIn, atLeast } from '../core/roles.ts'
import type { Role } from '../core/roles.ts'

/** Whether who is signed in runs the service: people, projects, the audit, the queue. What they may not do is not offered. */
export const useOperator = (): boolean => useQuery(ask.me()).data?.operator ?? false

/** Whether who is signed in has at least a role in a project. Until that is known, they do: the service refuses what they may not. */
export function useRole(project: string, least: Role): boolean {
  const me = useQuery(ask.me()).data
  return me === undefined || atLeast(roleIn(me, project), least)
}
