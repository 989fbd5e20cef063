import { lost } from '../core/current.ts'
import { useInfiniteQuery, useMutation, useQueryClient } from '@tanstack/react-query'
import { Link } from 'react-router'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import type { components } from '../api/schema.d.ts'
import { byDay } from '../core/days.ts'
import { Ago, Copy, Empty, Failed, Loading } from '../shared/parts.tsx'
import { issueAt } from '../core/address.ts'
import { useNow } from '../shared/now.ts'
import { Page } from '../shared/page.tsx'

type Notice = components['schemas']['Notice']

/** A person's notices by day: own and watched issues that regress, wake, or are decided about by others. */
export function NoticesPage() {
  const client = useQueryClient()
  const now = useNow()
  const got = useInfiniteQuery(ask.notices())
  const seen = useMutation({ mutationFn: (upTo: number) => api.seenNotices(upTo), onSuccess: () => client.invalidateQueries({ queryKey: ask.allNotices }) })
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  const list = got.data.pages.flatMap((p) => p.notices)
  const newest = list[0]
  if (!newest) {
    return (
      <Empty page title="No notice yet">
        <p>You are notified here when an issue that you own, fixed, parked or watch regresses, wakes or holds, when others decide about it or comment on it, and when a comment mentions you.</p>
      </Empty>
    )
  }
  const waiting = got.data.pages[0]?.waiting ?? 0
  return (
    <Page
      title="Notices"
      about={waiting === 0 ? 'You have seen them all.' : `${waiting} that you have not seen.`}
      actions={
        <>
          {waiting > 0 && <button className="btn btn-outline btn-sm font-normal" onClick={() => seen.mutate(newest.id)}>I have seen them</button>}
          <Copy text="firethorn notice list">Copy as command</Copy>
        </>
      }
    >
      {byDay(list, now).map((day) => (
        <section key={day.title} aria-label={day.title}>
          <h2 className="mb-1.5 font-semibold">{day.title}</h2>
          <ol className="panel">{day.items.map((n) => <Line key={n.id} notice={n} />)}</ol>
        </section>
      ))}
      {got.hasNextPage && <button className="btn btn-sm mt-3" disabled={got.isFetchingNextPage} onClick={() => void got.fetchNextPage()}>Show older</button>}
    </Page>
  )
}

function Line({ notice: n }: { notice: Notice }) {
  return (
    <li className={`border-b border-base-300/60 px-3 py-2 last:border-b-0 ${n.seen ? '' : 'border-l-4 border-l-primary'}`}>
      <p className="flex flex-wrap items-baseline gap-x-3">
        <Link className="link-hover font-semibold" to={issueAt(n.issue)}>{n.issue}</Link>
        <span className="min-w-0 break-words">{n.headline}</span>
        <span className="grow" />
        {!n.seen && <span className="text-primary">new</span>}
        <span className="soft"><Ago at={n.at} /></span>
      </p>
      <p className={`break-words whitespace-pre-line ${n.kind === 'regressed' ? 'hurts' : ''}`}>{n.actor && <b className="font-semibold">{n.actor}: </b>}{n.words}</p>
    </li>
  )
}
