import { lost } from '../core/current.ts'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Link } from 'react-router'
import type { EventDetail, Frame, IssueDetail, RoundItem } from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { count } from '../core/format.ts'
import { byPeople } from '../core/round.ts'
import type { Entry } from '../core/round.ts'
import { scaleOf } from '../core/stem.ts'
import { called } from '../core/trace.ts'
import { Arithmetic } from '../shared/arithmetic.tsx'
import { CommitName } from '../shared/likely.tsx'
import { Glimpse } from '../shared/markdown.tsx'
import { Ago, Failed, Figure, Loading, State, StemAndBerry } from '../shared/parts.tsx'
import { FromRepository, Source } from '../shared/source.tsx'
import { issueAt } from '../core/address.ts'

const around = 5 // source lines each side

/** All one needs to decide about an issue, on one screen; it comes in one answer. */
export function Brief({ entry }: { entry: Entry<RoundItem> }) {
  const client = useQueryClient()
  const whole = useQuery(ask.brief(client, entry.item.id))
  if (whole.isPending) return <Loading />
  return <Parts entry={entry} /> // each part asks by itself where the answer as a whole failed
}

function Parts({ entry }: { entry: Entry<RoundItem> }) {
  const i = entry.item
  const [project = '', number = 0] = [i.id.split('/')[0], Number(i.id.split('/')[1])]
  const issue = useQuery(ask.issue(project, number))
  const event = useQuery({ ...ask.event(project, number, 'newest'), staleTime: 60_000 })
  if (lost(issue)) return <Failed error={issue.error!} again={() => void issue.refetch()} />
  return (
    <article className="px-5 pt-3 pb-4" aria-labelledby="in-hand">
      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-0.5">
        <h2 id="in-hand" className="text-xl font-semibold break-all">{i.headline}</h2>
        <State state={i.state} fixedIn={i.fixed_in} />
        <Link className="soft link-hover" to={issueAt(i.id)} title="open it (Enter)">{i.id}</Link>
      </div>
      {entry.done && <p className={entry.done.by === 'other' ? 'text-warning' : 'text-primary'}>{entry.done.by === 'other' ? 'Decided meanwhile, by ' : 'You: '}{entry.done.words}</p>}
      <ul aria-label="Why it is here">
        {i.why.map((w) => (
          <li key={w.kind} className="break-words">
            <span className={w.kind === 'regressed' || w.kind === 'surging' ? 'hurts font-semibold' : 'font-semibold'}>{w.kind === 'yours' && 'yours, '}{w.actor && `${w.actor}: `}{w.words}</span> <span className="soft"><Ago at={w.at} /></span>
          </li>
        ))}
      </ul>
      {i.message && <p className="soft mt-1 line-clamp-2 break-words">{i.message}</p>}
      {issue.data && <Figures issue={issue.data} severity={i.severity} />}
      {event.data && <Origin event={event.data} />}
      <div className="mt-3 grid gap-x-8 gap-y-3 lg:grid-cols-2">
        <Owner id={i.id} owner={i.owner} />
        <Similar id={i.id} />
        <Before id={i.id} />
        <LikelyChange id={i.id} />
      </div>
    </article>
  )
}

function Figures({ issue: i, severity }: { issue: IssueDetail; severity: string }) {
  return (
    <div className="mt-2 flex flex-wrap items-start gap-x-7 gap-y-1">
      <dl className="flex flex-wrap gap-x-7 gap-y-1">
        <Figure name="impact"><Arithmetic issue={i} /></Figure>
        <Figure name="users"><span className={i.users ? 'hurts' : ''}>{count(i.users)}</span></Figure>
        <Figure name="events">{count(i.events)}</Figure>
        <Figure name="releases"><span className="mono">{i.first_release === i.last_release ? i.last_release || 'none' : `${i.first_release || 'none'} → ${i.last_release || 'none'}`}</span></Figure>
        <Figure name="last seen"><Ago at={i.last_seen} /></Figure>
        <Figure name="severity"><span className={severity === 'fatal' ? 'hurts' : ''}>{severity}</span></Figure>
      </dl>
      <StemAndBerry days={i.trend} scale={scaleOf([i.trend])} events={i.events} users={i.users} width={190} height={42} berry={5} />
    </div>
  )
}

/** The blamed frame with its lines, and who called it. */
function Origin({ event }: { event: EventDetail }) {
  const x = event.exceptions.find((e) => e.frames.some((f) => f.origin)) ?? event.exceptions[0]
  if (!x) return <p className="mt-3 panel p-3 break-words">{event.message}</p>
  const at = x.frames.findIndex((f) => f.origin)
  const frame = x.frames[at]
  if (!frame) return <p className="soft mt-3">The trace has no frame of the application's own.</p>
  const lines = (frame.source_lines ?? []).filter((l) => Math.abs(l.line - frame.line) <= around)
  const callers = x.frames.slice(at + 1).filter((f) => f.kind === 'own').slice(0, 3)
  return (
    <section aria-label="Where it broke" className="mt-3 panel">
      <p className="flex flex-wrap items-baseline gap-x-3 px-3 py-1.5">
        <span className="mono font-semibold">{called(frame)}</span>
        <span className="mono soft min-w-0 break-all">{frame.file}{frame.line ? `:${frame.line}` : ''}</span>
        {frame.why_raw && <span className="text-warning">{frame.why_raw}</span>}
      </p>
      {lines.length > 0 && <Source frame={{ ...frame, source_lines: lines }} />}
      <FromRepository frame={frame} inset="px-3" />
      {callers.length > 0 && <p className="soft border-t border-base-300 px-3 py-1 break-words">called by {callers.map((f: Frame) => `${called(f)} (${f.file}${f.line ? `:${f.line}` : ''})`).join(', ')}</p>}
    </section>
  )
}

/** Who may have it, and why; the first is who gets it by its key. */
function Owner({ id, owner }: { id: string; owner: string | null }) {
  const got = useQuery(ask.owners(id))
  const list = got.data?.proposals.slice(0, 2) ?? []
  return (
    <section aria-label="Who may have it">
      <h3 className="font-semibold">{owner ? `${owner} has it` : 'Nobody has it'}</h3>
      {got.data && list.length === 0 && <p className="soft">{got.data.strangers.length > 0 ? `Proposed, but no account here: ${got.data.strangers.join(', ')}.` : 'No owner is proposed.'}</p>}
      {list.map((p, n) => (
        <p key={p.name}>
          <b className="font-semibold">{Math.round(p.score)} {p.name}</b>{n === 0 && p.name !== owner && <> <kbd className="kbd kbd-xs" aria-hidden="true">g</kbd></>} <span className="soft">{(p.reasons ?? []).join('; ')}</span>
        </p>
      ))}
    </section>
  )
}

/** What people decided and wrote about it before. */
function Before({ id }: { id: string }) {
  const [project = '', number = 0] = [id.split('/')[0], Number(id.split('/')[1])]
  const got = useQuery({ ...ask.history(project, number), staleTime: 5000 })
  const list = byPeople(got.data?.history ?? []).slice(0, 3)
  if (list.length === 0) return null
  return (
    <section aria-label="Before">
      <h3 className="font-semibold">Before</h3>
      {list.map((h, n) => (
        <p key={n} className="line-clamp-2 break-words" dir="auto">
          <span className="soft"><Ago at={h.at} /></span> <b className="font-semibold">{h.actor}:</b> {h.kind === 'comment' ? <Glimpse text={h.words} /> : h.words}{h.why && <span className="soft"> — {h.why}</span>}
        </p>
      ))}
    </section>
  )
}

/** The commit that most likely brought it. */
function LikelyChange({ id }: { id: string }) {
  const got = useQuery(ask.likely(id))
  const c = got.data?.changes[0]
  if (!c) return null
  return (
    <section aria-label="Likely change">
      <h3 className="font-semibold">Likely brought by</h3>
      <p className="break-words">
        <span className="soft">{Math.round(c.score)}</span> {c.subject} <CommitName hash={c.hash} link={c.link} /> <span className="soft">{c.author}, <Ago at={c.committed} />: {c.reasons.join('; ')}</span>
      </p>
    </section>
  )
}

/** Issues like it, and what was decided about them. */
function Similar({ id }: { id: string }) {
  const got = useQuery({ ...ask.beside(id), staleTime: 60_000 })
  if (!got.data) return null
  return (
    <section aria-label="Similar issues">
      <h3 className="font-semibold">Similar issues</h3>
      {got.data.similar.length === 0 && <p className="soft">Nothing like it.</p>}
      {got.data.similar.slice(0, 3).map((s) => (
        <p key={s.id} className="truncate" title={s.alike.join('; ')}>
          <span className="soft">{Math.round(100 * s.score)} %</span> <Link className="link-hover" to={issueAt(s.id)}>{s.headline}</Link> <span className="soft">{s.id}:</span> {s.standing}
        </p>
      ))}
    </section>
  )
}
