import { lost } from '../core/current.ts'
import { useInfiniteQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import type { Feedback } from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { Ago, Failed } from '../shared/parts.tsx'
import { issueAt } from '../core/address.ts'

/** What one person said, as it was written. */
export function Said({ list, issue }: { list: Feedback[]; issue?: string }) {
  return (
    <ul className="space-y-2">
      {list.map((f) => (
        <li key={f.id} className="panel px-3 py-2">
          <p className="break-words whitespace-pre-wrap">{f.text}{f.cut && <span className="soft"> … (it was longer)</span>}</p>
          <p className="soft mt-1 flex flex-wrap gap-x-3 text-[.9rem]">
            <span>{f['user.name'] || 'somebody'}</span>
            {f['user.email'] && <a className="link" href={`mailto:${encodeURIComponent(f['user.email']).replace('%40', '@')}`}>{f['user.email']}</a>}
            <Ago at={f.time} />
            {f.release && <span className="mono">{f.release}</span>}
            {issue && f.event && <Link className="link" to={issueAt(issue, f.event)}>its event</Link>}
          </p>
        </li>
      ))}
    </ul>
  )
}

/** Feedback about an issue, newest first. */
export function IssueFeedback({ project, number, id }: { project: string; number: number; id: string }) {
  const q = useInfiniteQuery(ask.feedback(project, number))
  if (lost(q)) return <Failed error={q.error!} again={() => void q.refetch()} />
  const list = q.data?.pages.flatMap((p) => p.feedback) ?? []
  if (list.length === 0) return null
  return (
    <>
      <h3 className="mt-4 mb-2 font-semibold">Feedback</h3>
      <Said list={list} issue={id} />
      {q.hasNextPage && <button className="btn btn-sm mt-2" onClick={() => void q.fetchNextPage()}>Show more</button>}
    </>
  )
}
