import type { QueryClient } from '@tanstack/react-query'
import * as api from '../api/client.ts'

/**
 * All that a brief of an issue shows, in one request: what it answers is put
 * where each part of the brief looks for it.
 */
export function briefQuery(client: QueryClient, id: string) {
  const [project = '', number = 0] = [id.split('/')[0], Number(id.split('/')[1])]
  return {
    queryKey: ['p', project, 'brief', number],
    staleTime: 30_000,
    queryFn: async ({ signal }: { signal: AbortSignal }) => {
      const b = await api.brief(project, number, signal)
      client.setQueryData(['p', project, 'issue', number], b.issue)
      if (b.event) client.setQueryData(['p', project, 'event', number, 'newest'], b.event)
      client.setQueryData(['p', project, 'history', number], b.history)
      client.setQueryData(['p', project, 'owners', id], b.owners)
      client.setQueryData(['p', project, 'likely', id], b.likely)
      client.setQueryData(['p', project, 'beside', id], b.beside)
      return true
    },
  }
}
