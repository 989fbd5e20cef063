import { useInfiniteQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import * as asking from '../api/search.ts'
import type { TrailEntry } from '../api/search.ts'
import { issueAt } from '../core/address.ts'
import { byDay } from '../core/days.ts'
import { exact, lasted } from '../core/format.ts'
import { Card } from '../shared/page.tsx'
import { Failed, Loading } from '../shared/parts.tsx'
import { useNow } from '../shared/now.ts'

/** What a user went through: sessions, events, what led up to them, and what they wrote, the newest first. */
export function Trail({ project, who }: { project: string; who: string }) {
  const got = useInfiniteQuery(asking.trail(project, who))
  const now = useNow()
  const list = got.data?.pages.flatMap((p) => p.entries) ?? []
  return (
    <Card title="Trail" note="The newest first: read from below upwards to follow what they did.">
      {got.error && !got.data && <Failed error={got.error} again={() => void got.refetch()} />}
      {!got.data && !got.error && <Loading />}
      {byDay(list, now).map((d) => (
        <section key={d.title} aria-label={d.title} className="mb-3">
          <h3 className="mb-1 font-semibold">{d.title}</h3>
          <ol>
            {d.items.map((e, i) => <li key={i} className="grid grid-cols-[4.6rem_5.5rem_minmax(0,1fr)] gap-x-3 py-px"><time className="soft text-right" dateTime={e.at} title={exact(e.at)}>{clock(e.at)}</time><Entry e={e} /></li>)}
          </ol>
        </section>
      ))}
      {got.hasNextPage && <button className="btn btn-outline btn-sm font-normal" disabled={got.isFetchingNextPage} onClick={() => void got.fetchNextPage()}>Before that</button>}
    </Card>
  )
}

const clock = (iso: string): string => new Date(iso).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit', second: '2-digit' })

function Entry({ e }: { e: TrailEntry }) {
  if (e.event) return <><span className="hurts font-semibold">error</span><span><Link className="link-hover font-semibold" to={issueAt(e.event.issue, e.event.id)}>{e.event.headline}</Link> <span className="soft">{e.event.issue}, {e.event.release || 'no release'}</span></span></>
  if (e.session) return <><span className="text-info font-semibold">session</span><span className="border-b border-base-300">began and lasted {lasted(e.session.duration_ms)}, <b className={e.session.outcome === 'crashed' ? 'hurts' : ''}>{e.session.outcome}</b>, {e.session.release || 'no release'} in {e.session.environment}</span></>
  if (e.feedback) return <><span className="text-warning font-semibold">wrote</span><blockquote className="border-l-2 border-warning pl-2 break-words whitespace-pre-wrap" dir="auto">{e.feedback.text}</blockquote></>
  const b = e.breadcrumb
  return <><span className="soft">{b?.kind}</span><span className={`min-w-0 break-words ${b?.severity === 'error' ? 'hurts' : b?.severity === 'warn' ? 'text-warning' : ''}`}>{b?.message}</span></>
}
