import { lost } from '../core/current.ts'
import { useQuery } from '@tanstack/react-query'
import { useMemo, useState } from 'react'
import { Link } from 'react-router'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import * as health from '../api/health.ts'
import type { Qualities } from '../api/health.ts'
import { count, counted } from '../core/format.ts'
import { lowest, percent } from '../core/health.ts'
import { latestDeploys } from '../core/releases.ts'
import { windows } from '../core/window.ts'
import { CommitName } from '../shared/likely.tsx'
import { Ago, Copy, Empty, Failed, Loading, State } from '../shared/parts.tsx'
import { args, option } from '../core/shell.ts'
import { issueAt, pageAt } from '../core/address.ts'
import { useAddress } from '../shared/address.ts'
import { Card, Page, Table } from '../shared/page.tsx'
import { Interval, VerdictWord } from '../shared/health.tsx'
import { Compared } from './compared.tsx'
import { Health, UptakeChart } from './health.tsx'

/** The releases of a project: how each does, and what is new, regressed and was fixed in one. */
export function ReleasesPage() {
  const { project, state, set } = useAddress('releases')
  const got = useQuery(ask.releases(project))
  const scope = useMemo(() => ({ project, environment: state.environment, window: state.window }), [project, state.environment, state.window])
  const does = useQuery(health.qualities(scope))
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  const list = got.data.releases
  const chosen = state.release || list[0]?.version
  const environments = [...new Set(list.flatMap((r) => r.deploys.map((d) => d.environment)))]
  return (
    <Page
      title="Releases" about={list.length > 0 && `The newest first, ${orders[got.data.order]}.`}
      actions={
        <>
          <select className="select select-sm w-auto" aria-label="Environment" value={state.environment} onChange={(e) => set({ environment: e.target.value })}>
            <option value="">all environments</option>
            {[...new Set([...environments, ...(state.environment ? [state.environment] : [])])].map((e) => <option key={e}>{e}</option>)}
          </select>
          <select className="select select-sm w-auto" aria-label="Window" value={state.window} onChange={(e) => set({ window: e.target.value })}>
            {windows.map(([w, words]) => <option key={w} value={w}>{words}</option>)}
          </select>
          <Copy text={['firethorn release quality', option('--project', project), ...(state.environment ? [option('--environment', state.environment)] : []), ...(state.window ? [option('--window', state.window)] : [])].join(' ')}>Copy as command</Copy>
        </>
      }
    >
      {list.length === 0 ? (
        <Empty title="No release yet">
          <p>Events name theirs as service.version. A build can announce it before the first event:</p>
          <pre className="shell my-3" tabIndex={0} aria-label="How a release is announced">firethorn release announce --project {project} --release VERSION --commit HASH</pre>
          <p><Link className="link" to={pageAt(project, 'set-up')}>Set the application up</Link> shows where to set the version.</p>
        </Empty>
      ) : (
        <>
          {does.error && <Failed error={does.error} />}
          {does.data && does.data.sessions.all > 0 && <UptakeChart scope={scope} />}
          <Card label="Releases" flush>
            <ReleaseTable list={list} does={does.data} chosen={chosen} choose={(release) => set({ release, with: '' })} />
          </Card>
        </>
      )}
      {chosen !== undefined && state.with !== '' && <Compared scope={scope} a={chosen} b={state.with} close={() => set({ with: '' })} />}
      {chosen !== undefined && state.with === '' && <Detail project={project} version={chosen} scope={scope} others={list.map((r) => r.version).filter((v) => v !== chosen)} compare={(other) => set({ release: chosen, with: other })} />}
    </Page>
  )
}

/** One row a release: what it is, how it does, what it brought. */
function ReleaseTable({ list, does, chosen, choose }: { list: api.Releases['releases']; does: Qualities | undefined; chosen: string | undefined; choose: (version: string) => void }) {
  const of = new Map(does?.releases.map((q) => [q.release, q]))
  const from = lowest([...of.values()].filter((q) => q.sessions.all > q.sessions.running).map((q) => q.crash_free_sessions))
  const sessions = (does?.sessions.all ?? 0) > 0
  return (
    <Table label="Releases" columns={['Release', 'First seen', ...(sessions ? [right('Uptake'), `Without a crash (${percent(from)} to 100 %)`, 'Verdict', right('Users')] : []), right('Events'), right('New issues'), 'Deployed to', 'Commit']}>
      {list.map((r) => {
        const q = of.get(r.version)
        return (
          <tr key={r.version} aria-current={r.version === chosen ? 'true' : undefined}>
            <td className="name"><button type="button" className="link mono" onClick={() => choose(r.version)}>{r.version}</button></td>
            <td className="whitespace-nowrap"><Ago at={r.first_seen} /></td>
            {sessions && (
              <>
                <td className="text-right">{q && q.sessions.all > 0 ? `${Math.round(100 * q.uptake.sessions)} %` : '–'}</td>
                <td className="whitespace-nowrap">{q && q.sessions.all > q.sessions.running ? <Interval share={q.crash_free_sessions} from={from} /> : <span className="soft">no session</span>}</td>
                <td><VerdictWord verdict={q?.verdict} /></td>
                <td className="text-right">{q ? count(q.users.all) : '–'}</td>
              </>
            )}
            <td className="text-right">{count(r.events)}</td>
            <td className="text-right">{count(r.new)}</td>
            <td>{latestDeploys(r.deploys).map((d, i) => <span key={d.environment}>{i > 0 && ', '}{d.environment} <span className="soft"><Ago at={d.at} /></span></span>)}</td>
            <td className="mono soft" title={r.commit}>{r.commit?.slice(0, 12)}</td>
          </tr>
        )
      })}
    </Table>
  )
}

const right = (name: string) => ({ name, right: true })

const orders = {
  auto: 'by commit, else by version, else by announcement',
  commits: 'by commit',
  versions: 'by version',
  announcement: 'by when they were announced or first seen',
}

function Detail({ project, version, scope, others, compare }: { project: string; version: string; scope: health.Scope; others: string[]; compare: (other: string) => void }) {
  const got = useQuery(ask.release(project, version))
  const brought = useQuery(health.releaseIssues(scope, version)).data
  const hits = useMemo(() => new Map(brought && brought.sessions > 0 ? brought.issues.map((i) => [i.id, i]) : []), [brought])
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  const r = got.data
  return (
    <section aria-labelledby="release-title" className="mt-6">
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h2 id="release-title" className="grow text-lg font-semibold">Release <span className="mono break-all">{r.version}</span></h2>
        {others.length > 0 && (
          <select className="select select-sm w-auto" aria-label="Compare with" value="" onChange={(e) => compare(e.target.value)}>
            <option value="">compare with …</option>
            {others.map((v) => <option key={v}>{v}</option>)}
          </select>
        )}
        <Copy text={`firethorn release show ${option('--project', project)} ${args(version)}`}>Copy as command</Copy>
      </div>
      <p className="soft">
        {counted(r.events, 'event')}{r.before && <>, after <span className="mono">{r.before}</span> ({r.before_why}) with {count(r.before_events)}</>}
      </p>
      {(r.announced || r.deploys.length > 0) && (
        <p className="soft">
          {r.announced && <>Announced <Ago at={r.announced} /> by {r.announced_by}.</>}
          {r.deploys.slice(-8).map((d) => <span key={d.environment + d.at}> Deployed to {d.environment} <Ago at={d.at} /> by {d.by}.</span>)}
        </p>
      )}
      <Health scope={scope} version={version} />
      <Issues title="New in it" none="Nothing new." list={r.new_issues} hits={hits} />
      <Issues title="Came back in it" none="Nothing that was fixed came back." list={r.regressed} hits={hits} />
      <Issues title="Fixed in it" none="Nothing was called fixed in it. An issue's page does that: Fixed, or f." list={r.fixed} />
      <Commits release={r} />
    </section>
  )
}

/** The commits since the release before, with who made them. */
function Commits({ release: r }: { release: api.ReleaseDetail }) {
  const [all, setAll] = useState(false)
  const shown = all ? r.commits : r.commits.slice(0, 12)
  return (
    <section aria-label="Commits" className="mt-4">
      <h3 className="font-semibold">Commits{r.commit_count > 0 && <span className="soft font-normal"> {counted(r.commit_count, 'commit')}{r.before && ` since ${r.before}`}</span>}</h3>
      {r.repository && <p className="soft mt-1 break-words">{r.repository}</p>}
      {shown.length > 0 && (
        <ul className="panel mt-1 overflow-x-auto">
          {shown.map((c) => (
            <li key={c.hash} className="grid min-w-2xl grid-cols-[7rem_minmax(0,1fr)_9rem_6rem_6rem] items-baseline gap-x-3 border-b border-base-300/60 px-3 py-1 last:border-0">
              <CommitName hash={c.hash} link={c.link} />
              <span className="min-w-0 truncate" title={c.subject}>{c.subject}</span>
              <span className="truncate" title={c.email}>{c.author}</span>
              <span className="soft"><Ago at={c.committed} /></span>
              <span className="soft text-right" title={`${counted(c.files, 'file')}, lines added and removed`}>+{count(c.added)} −{count(c.removed)}</span>
            </li>
          ))}
        </ul>
      )}
      {!all && r.commits.length > shown.length && <button className="btn btn-ghost btn-sm mt-1 font-normal" onClick={() => setAll(true)}>Show {r.commits.length} commits</button>}
    </section>
  )
}

/** Issues of a release; those that hit the largest share of its sessions come first. */
function Issues({ title, none, list, hits }: { title: string; none: string; list: api.Issue[]; hits?: Map<string, health.ReleaseIssue> }) {
  const shares = hits !== undefined && hits.size > 0
  const sorted = shares ? [...list].sort((a, b) => (hits.get(b.id)?.sessions ?? 0) - (hits.get(a.id)?.sessions ?? 0)) : list
  const columns = shares ? 'grid-cols-[8.5rem_minmax(0,1fr)_10rem_5.5rem_6rem_9rem]' : 'grid-cols-[8.5rem_minmax(0,1fr)_5.5rem_6rem_9rem]'
  return (
    <section aria-label={title} className="mt-4">
      <h3 className="font-semibold">{title}{list.length > 0 && <span className="soft font-normal"> {counted(list.length, 'issue')}</span>}</h3>
      {list.length === 0 ? <p className="soft mt-1">{none}</p> : (
        <ul className="panel mt-1 overflow-x-auto">
          {sorted.map((is) => (
            <li key={is.id} className={`grid min-w-2xl ${columns} items-baseline gap-x-3 border-b border-base-300/60 px-3 py-1 last:border-0`}>
              <Link className="link-hover font-semibold" to={issueAt(is.id)}>{is.id}</Link>
              <span className="min-w-0 truncate" title={is.headline}>{is.headline}</span>
              {shares && <Hit hit={hits.get(is.id)} />}
              <span className="text-right">{counted(is.users, 'user')}</span>
              <span className="text-right">{counted(is.events, 'event')}</span>
              <span><State state={is.state} fixedIn={is.fixed_in} /></span>
            </li>
          ))}
        </ul>
      )}
    </section>
  )
}

/** The share of a release's sessions that had an issue. */
function Hit({ hit }: { hit: health.ReleaseIssue | undefined }) {
  if (!hit) return <span className="soft text-right">not counted</span>
  return <span className="text-right" title={`${counted(hit.sessions, 'session')}${hit.more ? ' or more' : ''} of the release, in this window`}>{hit.more && '≥ '}{percent(hit.share)} <span className="soft">of sessions</span></span>
}
