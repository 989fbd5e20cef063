import { lost } from '../core/current.ts'
import { useQuery } from '@tanstack/react-query'
import { Link, useNavigate } from 'react-router'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { keyOf } from '../core/keys.ts'
import { count, counted } from '../core/format.ts'
import { sequel } from '../core/round.ts'
import { useKeys } from '../shared/keys.ts'
import { scaleOf } from '../core/stem.ts'
import type { Scale } from '../core/stem.ts'
import { Ago, Empty, Failed, Loading, StemAndBerry } from '../shared/parts.tsx'
import { Kinds } from '../shared/why.tsx'
import { issueAt, pageAt, roundAt } from '../core/address.ts'

/** All projects: where a person begins. */
export function Projects() {
  const list = useQuery(ask.projects())
  const stands = useQuery(ask.overview())
  if (lost(list)) return <Failed error={list.error!} again={() => void list.refetch()} />
  if (!list.data) return <Loading />
  if (!list.data.projects.length) {
    return (
      <Empty page title="No application reports yet">
        <p>A project is one application. Make one, and its page shows how the application reports:</p>
        <pre className="mt-3 rounded border border-base-300 bg-base-100 p-3">firethorn project create NAME</pre>
      </Empty>
    )
  }
  const of = new Map(stands.data?.projects.map((o) => [o.project, o]))
  const scale = scaleOf([...of.values()].map((o) => daysOf(o)))
  return (
    <div className="mx-auto max-w-5xl px-6 py-8">
      <h1 className="sr-only">All projects</h1>
      <Waiting />
      <h2 className="mb-4 text-xl font-semibold">Projects</h2>
      <ul className="divide-y divide-base-300 rounded border border-base-300 bg-base-100">
        {list.data.projects.map((p) => (
          <li key={p.name} className="grid grid-cols-[minmax(0,1fr)_auto] items-center gap-x-5 gap-y-1 px-4 py-3 md:grid-cols-[minmax(0,9rem)_11rem_minmax(0,1fr)_auto]">
            <Link to={pageAt(p.name, 'issues')} className="link-hover truncate text-base font-semibold">
              {p.name}
            </Link>
            <Stands of={of.get(p.name)} scale={scale} events={p.events} />
            <span className="soft text-right">{p.last_event ? <>last event <Ago at={p.last_event} /></> : 'nothing has arrived yet'}</span>
          </li>
        ))}
      </ul>
    </div>
  )
}

const daysOf = (o: api.ProjectOverview) => o.trend.map((d) => ({ day: d.day, events: d.events, users: 0 }))

/** How a project stands: its trend, its issues, its newest release, and what is wrong. */
function Stands({ of: o, scale, events }: { of: api.ProjectOverview | undefined; scale: Scale; events: number }) {
  if (!o) return <><span /><span className="soft">{counted(events, 'event')}</span></>
  const sum = o.trend.reduce((n, d) => n + d.events, 0)
  return (
    <>
      <span className="max-md:order-last max-md:col-span-2"><StemAndBerry days={daysOf(o)} scale={scale} events={sum} users={0} width={148} height={32} berry={0} words={`${counted(sum, 'event')} in 14 days (UTC)`} /></span>
      <span className="min-w-0 max-md:col-span-2">
        <span className={o.open_issues ? 'hurts' : 'soft'}>{counted(o.open_issues, 'open issue')}</span>
        {o.new_issues > 0 && <span>, {count(o.new_issues)} new</span>}
        <span className="soft">, {counted(sum, 'event')} in 14 days (UTC)</span>
        <br />
        {o.wrong.length > 0 ? <span className="text-warning">{o.wrong.join(' · ')}</span> : <span className="soft">Nothing is wrong</span>}
        {o.newest_release && <span className="soft"> · newest release <span className="mono">{o.newest_release}</span></span>}
      </span>
    </>
  )
}

/** What needs a decision, in all projects: the largest, and the way to the round. */
function Waiting() {
  const got = useQuery(ask.waiting())
  const go = useNavigate()
  const r = got.data
  useKeys('projects', { round: r && r.waiting > 0 ? () => void go(roundAt()) : undefined })
  if (!r) return null
  const last = r.last_round && <span className="soft">your last round ended <Ago at={r.last_round} /></span>
  if (r.waiting === 0) return <p className="mb-6">Nothing needs a decision of yours. {last}</p>
  return (
    <section aria-label="What waits for you" className="mb-8">
      <div className="mb-2 flex flex-wrap items-baseline gap-x-4 gap-y-1">
        <h2 className="text-xl font-semibold">{r.waiting >= 1000 ? '1,000 or more need' : r.waiting === 1 ? '1 needs' : `${r.waiting} need`} a decision of yours</h2>
        {last}
        <span className="grow" />
        <Link to={roundAt()} className="btn btn-primary btn-sm" aria-keyshortcuts={keyOf('projects', 'round')}>
          {r.begun ? 'Go on with the round' : 'Begin the round'} <kbd className="kbd kbd-xs text-base-content max-md:hidden" aria-hidden="true">Enter</kbd>
        </Link>
      </div>
      <ol className="divide-y divide-base-300 rounded border border-base-300 bg-base-100">
        {r.items.map((i) => (
          <li key={i.id} className="grid grid-cols-[1.6rem_minmax(0,1fr)] items-baseline gap-x-3 px-4 py-1.5 md:grid-cols-[1.6rem_minmax(0,1fr)_minmax(0,1fr)]">
            <b className="text-right font-semibold">{Math.round(i.impact)}</b>
            <span className="truncate"><Link className="link-hover font-semibold" to={issueAt(i.id)}>{i.headline}</Link> <span className="soft">{i.id}</span></span>
            <span className="truncate max-md:col-start-2"><Kinds item={i} /> <span className="soft">{sequel(i.why.at(-1)?.words ?? '')}</span></span>
          </li>
        ))}
      </ol>
    </section>
  )
}
