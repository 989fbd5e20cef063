import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Link } from 'react-router'
import * as api from '../api/client.ts'
import { Ago, Copy, Empty, Failed, Loading } from './parts.tsx'

/** What one should hear of: one's issues coming back, waking, decided about by others. */
export function NoticesPage() {
  const client = useQueryClient()
  const got = useQuery({ queryKey: ['notices', 'list'], queryFn: ({ signal }) => api.notices({ limit: 100 }, signal), retry: false })
  const seen = useMutation({ mutationFn: (upTo: number) => api.seenNotices(upTo), onSuccess: () => client.invalidateQueries({ queryKey: ['notices'] }) })
  if (got.error) return <Failed error={got.error} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  const list = got.data.notices
  if (list.length === 0) {
    return (
      <Empty title="No notice yet">
        <p>You hear of it here when an issue that you have, fixed or parked comes back, wakes or holds, and when somebody else decides about an issue of yours.</p>
      </Empty>
    )
  }
  const newest = list[0]?.id ?? 0
  return (
    <div className="mx-auto max-w-4xl px-6 py-5">
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h1 className="text-xl font-semibold">Notices</h1>
        <p className="soft grow">{got.data.waiting === 0 ? 'You have seen them all.' : `${got.data.waiting} that you have not seen.`}</p>
        {got.data.waiting > 0 && <button className="btn btn-outline btn-sm font-normal" onClick={() => seen.mutate(newest)}>I have seen them</button>}
        <Copy text="firethorn notice list">Copy as command</Copy>
      </div>
      <ol className="mt-3 rounded border border-base-300 bg-base-100">
        {list.map((n) => (
          <li key={n.id} className={`border-b border-base-300/60 px-3 py-2 last:border-0 ${n.seen ? '' : 'border-l-4 border-l-primary'}`}>
            <p className="flex flex-wrap items-baseline gap-x-3">
              <Link className="link-hover font-semibold" to={`/p/${n.issue.replace('/', '/issues/')}`}>{n.issue}</Link>
              <span className="min-w-0 break-words">{n.headline}</span>
              <span className="grow" />
              {!n.seen && <span className="text-primary">new</span>}
              <span className="soft"><Ago at={n.at} /></span>
            </p>
            <p className={n.kind === 'regressed' ? 'hurts' : ''}>{n.actor && <b className="font-semibold">{n.actor}: </b>}{n.words}</p>
          </li>
        ))}
      </ol>
    </div>
  )
}
