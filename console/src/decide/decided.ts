import type { InfiniteData, QueryClient } from '@tanstack/react-query'
import type { Issue, IssueDetail, Issues } from '../api/client.ts'
import * as ask from '../api/queries.ts'

/**
 * Puts an issue, as a decision left it, into everything that shows it. What
 * hangs on it alone is read again: a decision is no reason to read twenty answers.
 */
export function decidedIn(client: QueryClient, now: Issue): void {
  const [project, number] = now.id.split('/') as [string, string]
  const issue = ask.issue(project, Number(number)).queryKey
  // An answer still on its way may not know the decision: it is asked for again.
  void client.invalidateQueries({ queryKey: issue, predicate: (q) => q.state.fetchStatus === 'fetching' })
  client.setQueryData<IssueDetail>(issue, (old) => old && { ...old, ...now })
  client.setQueriesData<InfiniteData<Issues>>({ queryKey: ask.listsOf(project) }, (old) => old && {
    ...old,
    pages: old.pages.map((p) => ({ ...p, issues: p.issues.map((i) => (i.id === now.id ? { ...i, ...now } : i)) })),
  })
  for (const kind of ['history', 'since'] as const) void client.invalidateQueries({ queryKey: ask.ofIssue(project, kind, Number(number)) })
  void client.invalidateQueries({ queryKey: ask.listsOf(project) }) // its counts, where the list is open
}
