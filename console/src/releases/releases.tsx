import { lost } from '../core/current.ts'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { count, counted } from '../core/format.ts'
import { latestDeploys } from '../core/releases.ts'
import { CommitName } from '../shared/likely.tsx'
import { Ago, Copy, Empty, Failed, Loading, State } from '../shared/parts.tsx'
import { args, option } from '../core/shell.ts'
import { issueAt, pageAt } from '../core/address.ts'
import { useAddress } from '../shared/address.ts'
import { Card, Page, Table } from '../shared/page.tsx'

/** The releases of a project, and what is new, came back and was fixed in one. */
export function ReleasesPage() {
  const { project, state, set } = useAddress('releases')
  const got = useQuery(ask.releases(project))
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  const list = got.data.releases
  const chosen = (state.release || list[0]?.version)
  return (
    <Page title="Releases" about={list.length > 0 && `The newest first, ${orders[got.data.order]}.`} actions={<Copy text={`firethorn release list ${option('--project', project)}`}>Copy as command</Copy>}>
      {list.length === 0 ? (
        <Empty title="No release yet">
          <p>Events name theirs as service.version. A build can announce it before the first event:</p>
          <pre className="shell my-3" tabIndex={0} aria-label="How a release is announced">firethorn release announce --project {project} --release VERSION --commit HASH</pre>
          <p><Link className="link" to={pageAt(project, 'set-up')}>Set the application up</Link> shows where the version goes.</p>
        </Empty>
      ) : (
        <Card label="Releases" flush>
          <Table label="Releases" columns={['Release', 'First seen', { name: 'Events', right: true }, { name: 'Issues', right: true }, { name: 'New issues', right: true }, 'Deployed to', 'Commit']}>
            {list.map((r) => (
              <tr key={r.version} aria-current={r.version === chosen ? 'true' : undefined}>
                <td className="name"><button type="button" className="link mono" onClick={() => set({ release: r.version })}>{r.version}</button></td>
                <td className="whitespace-nowrap"><Ago at={r.first_seen} /></td>
                <td className="text-right">{count(r.events)}</td>
                <td className="text-right">{count(r.issues)}</td>
                <td className="text-right">{count(r.new)}</td>
                <td>{latestDeploys(r.deploys).map((d, i) => <span key={d.environment}>{i > 0 && ', '}{d.environment} <span className="soft"><Ago at={d.at} /></span></span>)}</td>
                <td className="mono soft" title={r.commit}>{r.commit?.slice(0, 12)}</td>
              </tr>
            ))}
          </Table>
        </Card>
      )}
      {chosen !== undefined && <Detail project={project} version={chosen} />}
    </Page>
  )
}

const orders = {
  auto: 'by commit, else by version, else by announcement',
  commits: 'by commit',
  versions: 'by version',
  announcement: 'by when they were announced or first heard of',
}

function Detail({ project, version }: { project: string; version: string }) {
  const got = useQuery(ask.release(project, version))
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  const r = got.data
  return (
    <section aria-labelledby="release-title" className="mt-6">
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h2 id="release-title" className="grow text-lg font-semibold">Release <span className="mono break-all">{r.version}</span></h2>
        <Copy text={`firethorn release show ${option('--project', project)} ${args(version)}`}>Copy as command</Copy>
      </div>
      <p className="soft">
        {counted(r.events, 'event')}{r.before && <>, after <span className="mono">{r.before}</span> ({r.before_why}) with {count(r.before_events)}</>}
        {r.sessions.sessions > 0 && `; ${count(r.sessions.sessions)} sessions in 30 days, ${(100 * r.sessions.crash_free).toFixed(2)} % did not crash`}
      </p>
      {(r.announced || r.deploys.length > 0) && (
        <p className="soft">
          {r.announced && <>Announced <Ago at={r.announced} /> by {r.announced_by}.</>}
          {r.deploys.slice(-8).map((d) => <span key={d.environment + d.at}> Deployed to {d.environment} <Ago at={d.at} /> by {d.by}.</span>)}
        </p>
      )}
      <Issues title="New in it" none="Nothing new." list={r.new_issues} />
      <Issues title="Came back in it" none="Nothing that was fixed came back." list={r.regressed} />
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

function Issues({ title, none, list }: { title: string; none: string; list: api.Issue[] }) {
  return (
    <section aria-label={title} className="mt-4">
      <h3 className="font-semibold">{title}{list.length > 0 && <span className="soft font-normal"> {counted(list.length, 'issue')}</span>}</h3>
      {list.length === 0 ? <p className="soft mt-1">{none}</p> : (
        <ul className="panel mt-1 overflow-x-auto">
          {list.map((is) => (
            <li key={is.id} className="grid min-w-2xl grid-cols-[8.5rem_minmax(0,1fr)_5.5rem_6rem_9rem] items-baseline gap-x-3 border-b border-base-300/60 px-3 py-1 last:border-0">
              <Link className="link-hover font-semibold" to={issueAt(is.id)}>{is.id}</Link>
              <span className="min-w-0 truncate" title={is.headline}>{is.headline}</span>
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
