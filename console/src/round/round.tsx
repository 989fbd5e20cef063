import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import * as api from '../api/client.ts'
import type { RoundEnd, RoundItem } from '../api/client.ts'
import * as queries from '../api/queries.ts'
import { counted } from '../core/format.ts'
import { keyOf } from '../core/keys.ts'
import type { Doing } from '../core/keys.ts'
import { sequel, tally, took } from '../core/round.ts'
import type { Entry, Round } from '../core/round.ts'
import { CommentDialog } from '../decide/comment-dialog.tsx'
import { TicketDialog } from '../decide/ticket-dialog.tsx'
import { AssignDialog } from '../decide/decide.tsx'
import { useKeys } from '../shared/keys.ts'
import { MergeDialog } from '../decide/merge.tsx'
import { Ago, Empty, Failed, Loading, State } from '../shared/parts.tsx'
import { useTitle } from '../shared/title.ts'
import { Brief } from './round-brief.tsx'
import { useRound } from './round-state.ts'
import { FixDialog, ParkDialog } from '../decide/settle.tsx'
import { Kinds } from '../shared/why.tsx'
import { issueAt, pageAt } from '../core/address.ts'
import { Page } from '../shared/page.tsx'

/** Triage, one issue after the other: why it is here, all one needs to decide, one key each. */
export function RoundPage() {
  const { project } = useParams()
  const [turn, setTurn] = useState(0)
  return <OneRound key={`${project ?? ''} ${turn}`} project={project} again={() => setTurn(turn + 1)} />
}

type Asking = { what: 'assign' | 'park' | 'fix' | 'merge' | 'comment' | 'ticket'; item: RoundItem } | undefined

function OneRound({ project, again }: { project: string | undefined; again: () => void }) {
  const r = useRound(project)
  const go = useNavigate()
  const [asking, setAsking] = useState<Asking>()
  const [list, setList] = useState(false)
  const entry = r.round.entries[r.round.at]
  const item = entry?.item
  const proposed = useQuery({ ...queries.owners(item?.id ?? ''), enabled: item !== undefined })
  const who = proposed.data?.proposals[0]?.name
  useQuery(queries.people()) // there when somebody is chosen
  useTitle('Round', project ?? 'all projects')
  const ask = (what: NonNullable<Asking>['what']) => item && setAsking({ what, item })
  const free = item !== undefined && !r.end && !entry?.done
  const doings: Button[] = [
    { does: 'accept', words: 'Accept', on: free, run: () => r.decide('accept') },
    { does: 'give', words: who ? `Give to ${who.split(' ')[0]}` : 'Give', title: who ? `assign it to ${who}, who is proposed` : 'no owner is proposed', on: free && who !== undefined && who !== item?.owner, run: () => who && r.decide('assign', { to: who }) },
    { does: 'assign', words: 'Assign', on: free, run: () => ask('assign') },
    { does: 'park', words: 'Park', on: free, run: () => ask('park') },
    { does: 'fix', words: 'Fixed', on: free, run: () => ask('fix') },
    { does: 'dismiss', words: 'Dismiss', on: free, run: () => r.decide('dismiss') },
    { does: 'merge', words: 'Merge', on: free, run: () => ask('merge') },
    { does: 'raise', words: 'Severity', title: 'raise it', on: free, run: () => r.grade(1) },
    { does: 'lower', words: '', title: 'lower the severity', on: free, run: () => r.grade(-1) },
    { does: 'comment', words: 'Comment', on: item !== undefined, run: () => ask('comment') },
    { does: 'ticket', words: 'Ticket', title: 'make, link or unlink a ticket', on: item !== undefined, run: () => ask('ticket') },
    { does: 'undo', words: 'Undo', title: 'undo your last action', on: r.round.steps.length > 0, run: r.undo },
    { does: 'later', words: item?.state === 'accepted' ? 'Seen' : 'Later', title: item?.state === 'accepted' ? 'keep it as it is; it comes back when something happens' : 'leave it for the next round', on: free, run: r.later },
  ]
  useKeys('round', r.end ? {} : {
    ...Object.fromEntries(doings.map((d) => [d.does, d.on ? d.run : undefined])), previous: () => r.look(-1), next: () => r.look(1), list: () => setList(!list), end: r.finish,
    open: () => item && void go(issueAt(item.id)),
  })
  if (r.error) return <Failed error={r.error} again={again} />
  if (r.end) return <Summary end={r.end} project={project} again={again} />
  if (!r.ready) return <Loading />
  if (r.round.entries.length === 0) return <Nothing last={r.last} project={project} />
  const close = () => setAsking(undefined)
  const run = (verb: 'assign' | 'park' | 'fix', body: api.Act) => {
    close()
    r.decide(verb, body, asking?.item)
  }
  return (
    <div className="flex min-h-[calc(100vh-5.2rem)] flex-col">
      <h1 className="sr-only">Round</h1>
      <div className={list ? 'grow' : 'grid grow grid-cols-1 md:grid-cols-[17rem_minmax(0,1fr)] lg:grid-cols-[19rem_minmax(0,1fr)]'}>
        <Queue round={r.round} list={list} look={r.lookAt} last={r.last} />
        {!list && (
          <div className="min-w-0 border-base-300 md:border-l">
            {entry ? <Brief key={entry.item.id} entry={entry} /> : <Done end={r.finish} later={tally(r.round).later} />}
          </div>
        )}
      </div>
      <div role="toolbar" aria-label="Decide" className="sticky bottom-0 z-10 flex flex-wrap items-center gap-1.5 border-t border-base-300 bg-base-100 px-(--edge) py-2">
        {doings.map((d) => (
          <button key={d.does} className="btn btn-outline btn-sm px-2 font-normal" disabled={!d.on} onClick={d.run} aria-keyshortcuts={keyOf('round', d.does)} title={d.title} aria-label={d.does === 'raise' ? 'Severity + raise it' : d.does === 'lower' ? 'Lower the severity -' : undefined}>
            {d.words} <kbd className={`kbd kbd-xs ${d.words && d.does !== 'raise' ? 'max-md:hidden' : ''}`} aria-hidden="true">{keyOf('round', d.does)}</kbd>
          </button>
        ))}
        <span className="grow" />
        <button className="btn btn-ghost btn-sm px-2 font-normal" onClick={() => setList(!list)} aria-pressed={list}>{list ? 'One by one' : 'List'} <kbd className="kbd kbd-xs max-md:hidden" aria-hidden="true">{keyOf('round', 'list')}</kbd></button>
        <button className="btn btn-ghost btn-sm px-2 font-normal" onClick={r.finish}>End <kbd className="kbd kbd-xs max-md:hidden" aria-hidden="true">{keyOf('round', 'end')}</kbd></button>
      </div>
      {asking?.what === 'assign' && <AssignDialog issue={asking.item} proposed={who} close={close} done={(to) => run('assign', { to })} />}
      {asking?.what === 'park' && <ParkDialog issue={asking.item} close={close} done={(body) => run('park', body)} />}
      {asking?.what === 'fix' && <FixDialog issue={asking.item} close={close} done={(body) => run('fix', body)} />}
      {asking?.what === 'comment' && <CommentDialog id={asking.item.id} close={close} said={(n) => r.said(asking.item.id, n)} />}
      {asking?.what === 'ticket' && <TicketDialog id={asking.item.id} known={asking.item.tickets ?? []} close={close} />}
      {asking?.what === 'merge' && (
        <MergeDialog
          chosen={[asking.item]}
          close={close}
          done={(c) => {
            close()
            r.merge(c.into, asking.item)
          }}
        />
      )}
    </div>
  )
}

interface Button {
  does: Doing<'round'>
  words: string
  title?: string
  on: boolean
  run: () => void
}

/** What waits, what was decided: a count-down. */
function Queue({ round, list, look, last }: { round: Round<RoundItem>; list: boolean; look: (n: number) => void; last: string | undefined }) {
  const t = tally(round)
  useEffect(() => {
    document.querySelector('[data-in-hand]')?.scrollIntoView({ block: 'nearest' })
  }, [round.at, list])
  return (
    <section aria-label="What waits" className={`bg-base-100 ${list ? '' : 'max-md:max-h-40 max-md:overflow-y-auto max-md:border-b max-md:border-base-300 md:sticky md:top-0 md:max-h-[calc(100vh-6.2rem)] md:self-start md:overflow-y-auto'}`}>
      <p className="flex flex-wrap gap-x-3 px-3 py-2" role="status">
        <b className="font-semibold">{t.waiting} left</b>
        <span className="soft">{[t.mine > 0 && `${t.mine} decided`, t.others > 0 && `${t.others} by others`, t.later > 0 && `${t.later} later`].filter(Boolean).join(', ') || (last ? <>your last round: <Ago at={last} /></> : 'your first round')}</span>
      </p>
      <progress className="progress progress-primary block h-1 w-full rounded-none" aria-label="Decided" value={round.entries.length - t.waiting} max={Math.max(1, round.entries.length)} />
      <ol>
        {round.entries.map((e, n) => (
          <li key={e.item.id}>
            <button className={`block w-full border-b border-base-300/60 px-3 py-1.5 text-left hover:bg-base-200 ${n === round.at ? 'in-hand' : ''}`} aria-current={n === round.at || undefined} data-in-hand={n === round.at || undefined} data-issue={e.item.id} onClick={() => look(n)}>
              <Line entry={e} list={list} />
            </button>
          </li>
        ))}
      </ol>
    </section>
  )
}

function Line({ entry: e, list }: { entry: Entry<RoundItem>; list: boolean }) {
  const i = e.item
  const became = e.done ? <span className={e.done.by === 'other' ? 'text-warning' : 'text-primary'}>{e.done.words}</span> : e.later ? <span className="soft">later</span> : undefined
  if (!list) {
    return (
      <>
        <span className="flex gap-2"><span className="soft w-6 shrink-0 text-right">{Math.round(i.impact)}</span><span className={`min-w-0 grow truncate ${e.done || e.later ? 'soft' : 'font-semibold'}`}>{i.headline}</span></span>
        <span className="block truncate pl-8 text-[.93rem]">{became ?? <><Kinds item={i} /> <span className="soft">{i.id}</span></>}</span>
      </>
    )
  }
  return (
    <span className="grid grid-cols-[2rem_minmax(0,1fr)] items-baseline gap-x-3 md:grid-cols-[2rem_minmax(0,1.1fr)_minmax(0,1.6fr)_5rem_6rem_9rem]">
      <b className="text-right font-semibold">{Math.round(i.impact)}</b>
      <span className="truncate"><span className={e.done || e.later ? 'soft' : 'font-semibold'}>{i.headline}</span> <span className="soft">{i.id}</span></span>
      <span className="truncate max-md:col-start-2">{became ?? <><Kinds item={i} /> <span className="soft">{sequel(i.why.at(-1)?.words ?? '')}</span></>}</span>
      <span className="text-right max-md:hidden">{counted(i.users, 'user')}</span>
      <span className="max-md:hidden"><State state={i.state} fixedIn={i.fixed_in} /></span>
      <span className="soft truncate max-md:hidden">{i.owner ?? 'nobody'}</span>
    </span>
  )
}

/** All that waited was dealt with. */
function Done({ end, later }: { end: () => void; later: number }) {
  return (
    <Empty title="That was all">
      <p>{later > 0 ? `${counted(later, 'issue')} you left for later will be in your next round.` : 'Nothing waits any more.'}</p>
      <button className="btn btn-primary btn-sm mt-4" onClick={end} autoFocus>End the round <kbd className="kbd kbd-xs text-base-content" aria-hidden="true">{keyOf('round', 'end')}</kbd></button>
    </Empty>
  )
}

function Nothing({ last, project }: { last: string | undefined; project: string | undefined }) {
  return (
    <Empty page title="Nothing needs a decision of yours">
      <p>Issues that are new, regressed, woken, surging or growing, and your own issues that others changed; highest impact first.{last && <> Your last round ended <Ago at={last} />.</>}</p>
      <p className="mt-3"><Link className="link" to={project ? pageAt(project, 'issues') : '/'}>{project ? `All issues of ${project}` : 'All projects'}</Link></p>
    </Empty>
  )
}

/** What was decided in the round. */
function Summary({ end: e, project, again }: { end: RoundEnd; project: string | undefined; again: () => void }) {
  const done = e.done.filter((d) => !d.undone)
  const issues = new Set(done.map((d) => d.issue)).size
  return (
    <Page
      title={done.length === 0 ? 'Round ended' : `${counted(issues, 'issue')} in ${took(e.seconds)}`}
      about={e.left === 0 ? 'Nothing is left that needs a decision of yours.' : `${e.left >= 1000 ? '1,000 or more are' : e.left === 1 ? '1 is' : `${e.left} are`} left for another time.`}
    >
      {done.length > 0 && (
        <ol className="panel">
          {done.map((d, n) => (
            <li key={n} className="grid grid-cols-1 gap-x-4 border-b border-base-300/60 px-3 py-1.5 last:border-b-0 md:grid-cols-[minmax(0,1fr)_minmax(0,1fr)]">
              <span className="truncate"><Link className="link-hover font-semibold" to={issueAt(d.issue)}>{d.headline || d.issue}</Link> <span className="soft">{d.issue}</span></span>
              <span className="min-w-0 break-words">{d.words}</span>
            </li>
          ))}
        </ol>
      )}
      <p className="mt-5 flex gap-2">
        <button className="btn btn-primary btn-sm" onClick={again}>{e.left > 0 ? 'Go on' : 'Look again'}</button>
        <Link className="btn btn-ghost btn-sm font-normal" to={project ? pageAt(project, 'issues') : '/'}>{project ? 'All issues' : 'All projects'}</Link>
        <Link className="btn btn-ghost btn-sm font-normal" to="/owners">Workload</Link>
      </p>
    </Page>
  )
}
