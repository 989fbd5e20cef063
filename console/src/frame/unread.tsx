import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import * as ask from '../api/queries.ts'
import { count } from '../core/format.ts'
import { noticed, unreadWords } from '../core/symbols.ts'
import { pageAt } from '../core/address.ts'
import { useNow } from '../shared/now.ts'

/** Says on a project's pages that traces of a release cannot be read. */
export function UnreadNotice({ project }: { project: string }) {
  const got = useQuery({ ...ask.unread(project), refetchInterval: 60_000 })
  const [first, ...others] = noticed(got.data?.releases ?? [], useNow())
  if (!first) return null
  return (
    <p role="status" className="flex flex-wrap items-baseline gap-x-2 border-b border-warning bg-base-100 px-(--edge) py-1.5">
      <span aria-hidden="true" className="text-warning">▲</span>
      {unreadWords(first, count)}
      {others.length > 0 && <span className="soft">Likewise of {others.length === 1 ? 'another release' : `${count(others.length)} other releases`}.</span>}
      <Link className="link" to={pageAt(project, 'symbols', { release: first.release })}>See why</Link>
    </p>
  )
}
