import { lost } from '../core/current.ts'
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import type { ReactNode } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import * as api from '../api/client.ts'
import type { EventDetail, IssueDetail } from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { count, counted, day, exact } from '../core/format.ts'
import { args, shell } from '../core/shell.ts'
import { scaleOf } from '../core/stem.ts'
import { Arithmetic } from '../shared/arithmetic.tsx'
import { Beside } from './beside.tsx'
import { DecisionBar } from '../decide/decide.tsx'
import { Breadcrumbs, Facts } from '../event/facts.tsx'
import { IssueFeedback, Said } from './feedback.tsx'
import { History } from './history.tsx'
import { useKeys } from '../shared/keys.ts'
import { Likely } from '../shared/likely.tsx'
import { Owners } from './owners.tsx'
import { Ago, Failed, Figure, Loading, State, StemAndBerry } from '../shared/parts.tsx'
import { listOf } from '../shared/back.ts'
import { useRole } from '../shared/rights.ts'
import { useTitle } from '../shared/title.ts'
import { useSay } from '../shared/say.tsx'
import { Since } from './since.tsx'
import { Splits } from '../decide/split.tsx'
import { Grouping } from './grouping.tsx'
import { Threads } from '../event/threads.tsx'
import { Trace } from '../event/trace.tsx'
import { TicketDialog } from '../decide/ticket-dialog.tsx'
import { TicketMark } from '../shared/ticket.tsx'
import { issueAt, userAt } from '../core/address.ts'
import { Chips } from '../search/chips.tsx'
import { FacetsButton, FacetsPanel } from '../search/facets.tsx'
import { StripControls, TimeStrip } from '../search/strip.tsx'
import { useSearch } from '../search/use-search.ts'
import type { Search } from '../search/use-search.ts'
import { CopyAs } from '../shared/copy-as.tsx'
import { AffectedUsers, SetsApart } from './affected.tsx'
import { useAddress } from '../shared/address.ts'
import { Confirm } from './confirm.tsx'

/** One issue: what broke, who is hit, since when, what to do. */
export function IssuePage() {
  const { number = '' } = useParams()
  const { project, state: { event: which, do: asked }, set } = useAddress('issue')
  const n = Number(number)
  const s = useSearch('issue', n)
  const go = useNavigate()
  const issue = useQuery(ask.issue(project, n))
  const me = useQuery({ ...ask.me(), enabled: asked !== '' })
  const event = useQuery({ ...ask.event(project, n, which, s), placeholderData: keepPreviousData })
  const [raw, setRaw] = useState(false)
  const [ticketing, setTicketing] = useState(false)
  const below = useAfter(issue.data !== undefined && (event.data !== undefined || event.error !== null))
  const pos = event.data?.position
  const page = (id: string | undefined) => {
    if (id) set({ event: id === pos?.newest ? 'newest' : id }, true)
  }
  const jump = (part: string) => document.getElementById(part)?.scrollIntoView({ block: 'start' })
  useKeys('issue', {
    back: () => void go(listOf(project)), raw: () => setRaw(!raw),
    older: () => page(pos?.older), newer: () => page(pos?.newer),
    ticket: issue.data && (() => setTicketing(true)), broke: () => jump('broke'), who: () => jump('who'), when: () => jump('when'), doing: () => jump('do'),
  })
  useTitle(issue.data?.headline, issue.data?.id)
  const client = useQueryClient()
  useEffect(() => { // a link in a message leads to the likely changes
    if (below && location.hash === '#likely') document.getElementById('likely')?.scrollIntoView({ block: 'start' })
  }, [below])
  const answered = issue.data
  useEffect(() => { // a merged-away number leads to where it went, with what was read already: nothing is drawn again
    if (!answered || answered.id === `${project}/${n}`) return
    client.setQueryData(ask.issue(project, Number(answered.id.split('/')[1])).queryKey, answered)
    void go(issueAt(answered.id), { replace: true })
  }, [answered, project, n, go, client])
  if (lost(issue)) return <Failed error={issue.error!} again={() => void issue.refetch()} />
  if (!issue.data) return <Loading />
  const i = issue.data
  return (
    <>
      {asked !== '' && me.data?.name && <Confirm issue={i} ask={asked} me={me.data.name} close={() => set({ do: '' })} />}
      {ticketing && <TicketDialog id={i.id} known={i.tickets ?? []} close={() => setTicketing(false)} />}
      <Head issue={i} s={s} ticket={() => setTicketing(true)} />
      <Chips s={s} error={event.error} />
      {below && <TimeStrip s={s} />}
      <div className="flex items-stretch max-md:flex-col">
      <FacetsPanel s={s} />
      <div className="min-w-0 grow px-(--edge)">
        <div className="max-w-[100rem] pb-8">
        <Part id="broke" title="What broke">
          <div className="mb-2 flex flex-wrap items-center gap-2">
            {event.data && <Pager event={event.data} page={page} searched={s.search !== '' || s.window !== ''} />}
            <span className="grow" />
            <label className="flex items-center gap-2">
              <input type="checkbox" className="toggle toggle-sm" checked={raw} onChange={(e) => setRaw(e.target.checked)} /> raw trace
              <kbd className="kbd kbd-xs" aria-hidden="true">r</kbd>
            </label>
          </div>
          {event.error && !(event.error instanceof api.ApiError && event.error.column) && (s.search || s.window ? <p className="soft">{event.error.message}. <button className="link" onClick={() => s.set({ search: '', window: '' })}>Show all events</button></p> : <Failed error={event.error} />)}
          {event.data && <Trace key={event.data.id} event={event.data} raw={raw} />}
          {event.data && (
            <>
              <Threads event={event.data} raw={raw} />
              {event.data.feedback.length > 0 && (
                <>
                  <h3 className="mt-5 mb-2 font-semibold">Feedback about this event</h3>
                  <Said list={event.data.feedback} />
                </>
              )}
              <h3 className="mt-5 mb-2 font-semibold">What led up to it</h3>
              <Breadcrumbs event={event.data} />
              <h3 className="mt-5 mb-2 font-semibold">Facts of this event</h3>
              <Facts event={event.data} />
            </>
          )}
        </Part>
        <Part id="who" title="Affected users">
          <p>
            {counted(i.users, 'user')} in {counted(i.events, 'event')}.
            {event.data?.user && <> This event affected <Link className="link mono" to={userAt(project, event.data.user.value)}>{event.data.user.value}</Link> ({event.data.user.attribute}).</>}
          </p>
          {below && <AffectedUsers scope={s.scope} />}
          {below && <SetsApart s={s} />}
          {i.feedback > 0 && <IssueFeedback project={project} number={n} id={i.id} />}
          <Counted title="environment" list={i.environments} />
        </Part>
        <Part id="when" title="Since when">
          {below && <Since project={project} number={n} issue={i} />}
          <Counted title="release" list={i.releases} />
          {below && <div id="likely"><Likely id={i.id} /></div>}
        </Part>
        <Part id="do" title="What to do">
          <MergedFrom issue={i} />
          <Splits issue={i} />
          {below && <Owners issue={i} />}
          <History issue={i} />
          {below && <Beside id={i.id} />}
          {below && <Grouping project={project} event={event.data?.kept ? event.data.id : undefined} issue={i.id} />}
        </Part>
        </div>
      </div>
      </div>
      <DecisionBar issue={i} merged={(into) => void go(issueAt(into))} split={(part) => void go(issueAt(part))} deleted={() => void go(listOf(project))} label={`${i.id} is ${i.standing}`} more={<Link className="btn btn-ghost btn-sm font-normal" to={listOf(project)}>Back <kbd className="kbd kbd-xs" aria-hidden="true">Esc</kbd></Link>} />
    </>
  )
}

/** True a moment after the first screen is there: what lies below it is not to hold it up. */
function useAfter(there: boolean): boolean {
  const [after, setAfter] = useState(false)
  useEffect(() => {
    if (!there || after) return
    const t = setTimeout(() => setAfter(true), 50)
    return () => clearTimeout(t)
  }, [there, after])
  return after
}

function Part({ id, title, children }: { id: string; title: string; children: ReactNode }) {
  return (
    <section id={id} className="scroll-mt-2 pt-5" aria-labelledby={id + '-title'}>
      <h2 id={id + '-title'} className="mb-2 text-lg font-semibold">{title}</h2>
      {children}
    </section>
  )
}

/** Who and how much, at the top. */
function Head({ issue: i, s, ticket }: { issue: IssueDetail; s: Search; ticket: () => void }) {
  const member = useRole(ask.projectOf(i.id), 'member')
  return (
    <div className="border-b border-base-300 bg-base-100 px-(--edge) pt-3 pb-2">
      <div className="max-w-[100rem]">
        <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
          <h1 className="text-xl font-semibold break-all">{i.headline}</h1>
          <State state={i.state} fixedIn={i.fixed_in} countOnly={i.count_only} />
          <span className="soft">{i.id}</span>
          {i.surge && <span className="hurts font-semibold" title={`since ${exact(i.surge.since)}`}>surging: {i.surge.words}</span>}
          {i.quiet && <span className="text-info" title={i.quiet}>gone quiet</span>}
          {i.recounting && <span className="text-warning" title="A merge, a split or its undo was just made: counts are still following it.">recounting</span>}
          <span className="grow" />
          <FacetsButton s={s} />
          <StripControls s={s} />
          <CopyAs command={`firethorn issue show ${args(i.id)}`} request={`curl -H "Authorization: Bearer $FIRETHORN_TOKEN" ${shell(`${location.origin}/api/issues/${i.id}`)}`} link={i.link} />
        </div>
        <p className="flex flex-wrap gap-x-4">
          {i.place && <span className="mono">{i.place}</span>}
          {i.message && <span className="soft line-clamp-2 break-words whitespace-pre-wrap">{i.message}</span>}
        </p>
        <div className="mt-2 flex flex-wrap items-start gap-x-8 gap-y-2">
        <dl className="flex flex-wrap items-start gap-x-8 gap-y-2">
          <Figure name="impact">
            <Arithmetic issue={i} />
          </Figure>
          <Figure name="users"><span className={i.users ? 'hurts' : ''}>{count(i.users)}</span></Figure>
          <Figure name="events">{count(i.events)}</Figure>
          <Figure name="last seen"><Ago at={i.last_seen} /></Figure>
          <Figure name="first seen"><span title={exact(i.first_seen)}>{day(i.first_seen)}</span></Figure>
          <Figure name="releases"><span className="mono">{i.first_release === i.last_release ? i.last_release || 'none' : `${i.first_release || 'none'} → ${i.last_release || 'none'}`}</span></Figure>
          {i.feedback > 0 && <Figure name="feedback"><a href="#who" className="underline decoration-dotted underline-offset-4">{count(i.feedback)}</a></Figure>}
          <Figure name="severity"><span title={i.severity_by_hand ? 'set by hand' : 'from the newest event'}>{i.severity}</span></Figure>
          <Figure name="owner">{i.owner ?? 'nobody'}</Figure>
          {((i.tickets?.length ?? 0) > 0 || member) && (
            <Figure name={i.tickets?.length === 1 ? 'ticket' : 'tickets'}>
              <span className="flex flex-wrap items-baseline gap-x-3">
                {(i.tickets ?? []).map((t) => <TicketMark key={t.destination + t.key} ticket={t} />)}
                {member && <button className="btn btn-ghost btn-xs font-normal" onClick={ticket} aria-keyshortcuts="T">{i.tickets?.length ? 'Change' : 'Make one'} <kbd className="kbd kbd-xs" aria-hidden="true">T</kbd></button>}
              </span>
            </Figure>
          )}
        </dl>
        <StemAndBerry days={i.trend} scale={scaleOf([i.trend])} events={i.events} users={i.users} width={220} height={44} berry={5.5} />
        </div>
      </div>
    </div>
  )
}

/** Pages through the issue's events without moving the page. */
function Pager({ event: e, page, searched }: { event: EventDetail; page: (id: string | undefined) => void; searched: boolean }) {
  const p = e.position
  if (!p) return null
  const buttons: [string, string | undefined, boolean][] = [['Newest', p.newest, p.number === 1], ['Newer', p.newer, !p.newer], ['Older', p.older, !p.older], ['Oldest', p.oldest, !p.older]]
  return (
    <div className="flex flex-wrap items-center gap-2">
      <span>
        {searched ? (p.number ? `Event ${count(p.number)} of ${count(p.total)} that fit` : `This event does not fit; ${count(p.total)} do`) : <>Event {p.number ? count(p.number) : 'beyond 10,000'} of {count(p.kept)} kept{p.total > p.kept && <> (of {count(p.total)} in all)</>}</>}, <time dateTime={e.time} title={e.id}>{exact(e.time)}</time>, {e.release || 'no release'}, {e.environment}
      </span>
      <span className="join">
        {buttons.map(([words, id, off]) => (
          <button key={words} className="btn btn-outline btn-xs join-item font-normal" disabled={off} onClick={() => page(id)}>
            {words}
          </button>
        ))}
      </span>
    </div>
  )
}

function Counted({ title, list }: { title: string; list: { name: string; events: number; first_seen: string; last_seen: string }[] }) {
  if (list.length === 0) return null
  return (
    <table className="mt-3">
      <thead>
        <tr className="soft text-left">
          {[title, 'events', 'first seen', 'last seen'].map((h) => (
            <th key={h} scope="col" className="pr-8 font-normal">{h}</th>
          ))}
        </tr>
      </thead>
      <tbody>
        {list.map((r) => (
          <tr key={r.name}>
            <th scope="row" className="mono pr-8 text-left font-normal">{r.name}</th>
            <td className="pr-8 text-right">{count(r.events)}</td>
            <td className="pr-8">{exact(r.first_seen)}</td>
            <td><Ago at={r.last_seen} /></td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

/** The issues that were merged into this one, each with its way back. */
function MergedFrom({ issue: i }: { issue: IssueDetail }) {
  const client = useQueryClient()
  const say = useSay()
  const takeOut = useMutation({
    mutationFn: (id: string) => api.act(id, 'undo'),
    onSuccess: (_, id) => {
      say(`${id} is an issue of its own again`)
      void client.invalidateQueries({ queryKey: ask.allOf(ask.projectOf(i.id)) })
    },
    onError: (e) => say(e.message, true),
  })
  if (i.merged_from.length === 0) return null
  return (
    <p className="mb-3 flex flex-wrap items-center gap-2">
      Merged into this:
      {i.merged_from.map((id) => (
        <span key={id} className="flex items-center gap-1">
          {id}
          <button className="btn btn-outline btn-xs font-normal" onClick={() => takeOut.mutate(id)} aria-label={`Undo the merge of ${id}`}>Undo</button>
        </span>
      ))}
    </p>
  )
}

