import { useQuery } from '@tanstack/react-query'
import * as ask from '../api/queries.ts'

/** Whether who is signed in may change people, keys, settings and the service. What they may not do is not offered. */
export const useAdmin = (): boolean => useQuery(ask.me()).data?.scope === 'admin'
