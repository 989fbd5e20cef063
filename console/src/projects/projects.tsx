import { lost } from '../core/current.ts'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate } from 'react-router'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { keyOf } from '../core/keys.ts'
import { count, counted } from '../core/format.ts'
import { changed, lowest, worstFirst } from '../core/health.ts'
import { sequel } from '../core/round.ts'
import { Interval } from '../shared/health.tsx'
import { useKeys } from '../shared/keys.ts'
import { scaleOf } from '../core/stem.ts'
import type { Scale } from '../core/stem.ts'
import { Ago, Failed, Loading, StemAndBerry } from '../shared/parts.tsx'
import { Card, Page, Table } from '../shared/page.tsx'
import { FirstProject, NewProject } from './new-project.tsx'
import { Kinds } from '../shared/why.tsx'
import { issueAt, pageAt, roundAt } from '../core/address.ts'
import { useOperator } from '../shared/rights.ts'

/** All projects: where a person begins. */
export function Projects() {
  const list = useQuery(ask.projects())
  const stands = useQuery(ask.overview())
  const [words, setWords] = useState('')
  const operator = useOperator()
  const [more, setMore] = useState(rows)
  const [making, setNew] = useState(false)
  if (lost(list)) return <Failed error={list.error!} again={() => void list.refetch()} />
  if (!list.data) return <Loading />
  if (!list.data.projects.length) return <FirstProject />
  const of = new Map(stands.data?.projects.map((o) => [o.project, o]))
  const scale = scaleOf([...of.values()].map((o) => daysOf(o)))
  const all = list.data.projects
  const shown = all.filter((p) => p.name.toLowerCase().includes(words.trim().toLowerCase()))
  const from = lowest([...of.values()].flatMap((o) => (o.health ? [o.health.crash_free_sessions] : [])))
  const order = new Map(worstFirst([...of.values()]).map((o, i) => [o.project, i]))
  const sorted = [...shown].sort((a, b) => (order.get(a.name) ?? 0) - (order.get(b.name) ?? 0))
  return (
    <Page
      title="All projects"
      about={stands.data && `${counted(all.length, 'project')}, ${counted([...of.values()].reduce((n, o) => n + o.open_issues, 0), 'open issue')}.`}
      actions={
        <>
          {all.length > few && <input type="search" className="input input-sm w-56" value={words} onChange={(e) => setWords(e.target.value)} placeholder="Name" aria-label="Find a project" />}
          {operator && <button className="btn btn-outline btn-sm font-normal" onClick={() => setNew(true)}>New project</button>}
        </>
      }
    >
      <Waiting />
      <Card label="Projects" flush>
        <Table label="Projects" columns={['Project', '14 days (UTC)', { name: 'Events, 7 days', right: true }, { name: 'Users, 7 days', right: true }, { name: 'Open', right: true }, { name: 'New', right: true }, { name: 'Came back', right: true }, 'Newest release', 'Without a crash', 'Verdict', 'What is wrong', 'Last event']}>
          {sorted.slice(0, more).map((p) => <ProjectRow key={p.name} p={p} of={of.get(p.name)} scale={scale} from={from} />)}
        </Table>
        {shown.length === 0 && <p className="soft px-3 pb-2">No project is called so.</p>}
        {shown.length > more && <button className="btn btn-ghost btn-sm m-1 font-normal" onClick={() => setMore(more + rows)}>Show more of {count(shown.length)}</button>}
      </Card>
      {making && <NewProject close={() => setNew(false)} />}
    </Page>
  )
}

const few = 8 // projects that one sees without looking for them
const rows = 100

const daysOf = (o: api.ProjectOverview) => o.trend.map((d) => ({ day: d.day, events: d.events, users: 0 }))

/** How a project stands: its trend, its issues, its newest release, and what is wrong. */
function ProjectRow({ p, of: o, scale, from }: { p: api.Project; of: api.ProjectOverview | undefined; scale: Scale; from: number }) {
  const sum = o?.trend.reduce((n, d) => n + d.events, 0) ?? 0
  return (
    <tr>
      <td className="name max-w-80"><Link to={pageAt(p.name, 'issues')} className="link-hover font-semibold">{p.name}</Link></td>
      <td>{o && <StemAndBerry days={daysOf(o)} scale={scale} events={sum} users={0} width={148} height={28} berry={0} words={`${counted(sum, 'event')} in 14 days (UTC)`} />}</td>
      <td className="text-right whitespace-nowrap">{o && <Week of={o.events_week} />}</td>
      <td className="text-right whitespace-nowrap">{o?.health && <Week of={o.users_week} />}</td>
      <td className={`text-right ${o?.open_issues ? 'hurts' : ''}`}>{count(o?.open_issues ?? p.open_issues)}</td>
      <td className="text-right">{o && count(o.new_issues)}</td>
      <td className="text-right">{o && count(o.came_back)}</td>
      <td className="whitespace-nowrap"><span className="mono">{o?.newest_release}</span>{o?.health && <span className="soft" title={`of the sessions of seven days run ${o.health.release}`}> {Math.round(100 * o.health.uptake)} %</span>}</td>
      <td className="whitespace-nowrap">{o?.health && <Interval share={o.health.crash_free_sessions} from={from} width={60} />}</td>
      <td className={`whitespace-nowrap ${o?.health?.says === 'worse' ? 'hurts font-semibold' : o?.health?.says === 'better' ? 'text-primary font-semibold' : ''}`}>{o?.health?.says}</td>
      <td>{o && (o.wrong.length > 0 ? <span className="text-warning">{o.wrong.join(' · ')}</span> : <span className="soft">nothing</span>)}</td>
      <td className="soft whitespace-nowrap">{p.last_event ? <Ago at={p.last_event} /> : <Link className="link" to={pageAt(p.name, 'set-up')}>set it up</Link>}</td>
    </tr>
  )
}

/** A count of seven days, and how it changed against the seven before. */
const Week = ({ of: w }: { of: { now: number; before: number } }) => <span title={`${count(w.before)} in the seven days before`}>{count(w.now)} <span className="soft text-[.9rem]">{changed(w.now, w.before)}</span></span>

/** What needs a decision, in all projects: the largest, and the way to the round. */
function Waiting() {
  const got = useQuery(ask.waiting())
  const go = useNavigate()
  const r = got.data
  useKeys('projects', { round: r && r.waiting > 0 ? () => void go(roundAt()) : undefined })
  if (!r) return null
  const last = r.last_round && <span className="soft">your last round ended <Ago at={r.last_round} /></span>
  if (r.waiting === 0) return <p>Nothing needs a decision of yours. {last}</p>
  return (
    <section aria-label="What waits for you">
      <div className="mb-2 flex flex-wrap items-baseline gap-x-4 gap-y-1">
        <h2 className="text-lg font-semibold">{r.waiting >= 1000 ? '1,000 or more need' : r.waiting === 1 ? '1 needs' : `${r.waiting} need`} a decision of yours</h2>
        {last}
        <span className="grow" />
        <Link to={roundAt()} className="btn btn-primary btn-sm" aria-keyshortcuts={keyOf('projects', 'round')}>
          {r.begun ? 'Go on with the round' : 'Begin the round'} <kbd className="kbd kbd-xs text-base-content max-md:hidden" aria-hidden="true">Enter</kbd>
        </Link>
      </div>
      <ol className="panel lines">
        {r.items.map((i) => (
          <li key={i.id} className="grid grid-cols-[1.6rem_minmax(0,1fr)] items-baseline gap-x-3 px-3 py-1.5 md:grid-cols-[1.6rem_minmax(0,1fr)_minmax(0,1fr)]">
            <b className="text-right font-semibold">{Math.round(i.impact)}</b>
            <span className="truncate"><Link className="link-hover font-semibold" to={issueAt(i.id)}>{i.headline}</Link> <span className="soft">{i.id}</span></span>
            <span className="truncate max-md:col-start-2"><Kinds item={i} /> <span className="soft">{sequel(i.why.at(-1)?.words ?? '')}</span></span>
          </li>
        ))}
      </ol>
    </section>
  )
}
