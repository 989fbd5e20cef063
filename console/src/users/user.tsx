import { useQuery } from '@tanstack/react-query'
import { Link, useParams } from 'react-router'
import * as asking from '../api/search.ts'
import { issueAt, pageAt, userAt } from '../core/address.ts'
import { count, counted, exact } from '../core/format.ts'
import { allNames, identityKeys, nameOf } from '../core/people.ts'
import { term } from '../core/search.ts'
import { args, option, shell } from '../core/shell.ts'
import { CopyAs } from '../shared/copy-as.tsx'
import { Card, Page, Table } from '../shared/page.tsx'
import { Ago, Failed, Loading, State } from '../shared/parts.tsx'
import { useTitle } from '../shared/title.ts'
import { Trail } from './trail.tsx'

/** One user: what they are called, what they ran into, and what they went through. */
export function UserPage() {
  const { project = '', who = '' } = useParams()
  const got = useQuery(asking.user(project, who))
  useTitle(who, project)
  if (got.error && !got.data) return <Failed error={got.error} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  const u = got.data
  if (u.several) return <Several project={project} who={who} list={u.several} />
  const named = { identities: u.identities ?? {} }
  const search = term('user', [who])
  return (
    <Page
      title={<span dir="auto">{allNames(named)}</span>}
      about={u.first && u.last && <>{counted(u.events, 'event')} and {counted(u.sessions, 'session')}, <span title={exact(u.first)}>since <Ago at={u.first} /></span>, last <Ago at={u.last} />.</>}
      actions={
        <>
          <Link className="btn btn-outline btn-sm font-normal" to={pageAt(project, 'events', { search, window: 'all' })}>Their events</Link>
          <CopyAs command={`firethorn user show ${option('--project', project)} ${args(who)}`} request={`curl -H "Authorization: Bearer $FIRETHORN_TOKEN" ${shell(`${location.origin}/api/projects/${project}/users/${encodeURIComponent(who)}`)}`} />
        </>
      }
    >
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-4 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
        <div className="space-y-4">
          <Card title="What they ran into" flush>
            <Table label="Issues" columns={['Issue', 'What broke', 'State', { name: 'Events', right: true }, 'Last']}>
              {(u.issues ?? []).map((i) => (
                <tr key={i.id}>
                  <td className="whitespace-nowrap"><Link className="link" to={issueAt(i.id)}>{i.id}</Link></td>
                  <td className="name">{i.headline}</td>
                  <td><State state={i.state} /></td>
                  <td className="text-right">{count(i.events)}</td>
                  <td className="whitespace-nowrap"><Ago at={i.last} /></td>
                </tr>
              ))}
            </Table>
          </Card>
          <Trail project={project} who={who} />
        </div>
        <div className="space-y-4">
          <Card title="Names">
            <dl className="grid grid-cols-[10rem_minmax(0,1fr)] gap-x-3 gap-y-0.5">
              {identityKeys.flatMap((k) => (named.identities[k] ?? []).map((v) => (
                <div key={k + v} className="contents"><dt className="soft">{k}</dt><dd className="mono break-words" dir="auto">{v}</dd></div>
              )))}
            </dl>
          </Card>
          <Used project={project} search={search} />
        </div>
      </div>
    </Page>
  )
}

const used = ['release', 'environment', 'device.type', 'device.model.name', 'os.name', 'browser.name']

/** On which releases and devices their events were thrown. */
function Used({ project, search }: { project: string; search: string }) {
  const known = useQuery(asking.attributes(project))
  const names = used.filter((n) => n === 'release' || n === 'environment' || known.data?.attributes.some((a) => a.name === n && !a.dropped))
  const got = useQuery({ ...asking.facets({ project, search, window: 'all' }, names, 4), enabled: known.data !== undefined })
  const list = got.data?.facets.filter((f) => f.values.length > 0) ?? []
  if (list.length === 0) return null
  return (
    <Card title="Releases and devices used">
      <dl className="grid grid-cols-[10rem_minmax(0,1fr)] gap-x-3 gap-y-0.5">
        {list.map((f) => (
          <div key={f.name} className="contents">
            <dt className="soft">{f.name}</dt>
            <dd>{f.values.map((v, i) => <span key={v.value}>{i > 0 && ', '}<span className="mono">{v.value}</span> <span className="soft">{counted(v.events, 'event')}</span></span>)}</dd>
          </div>
        ))}
      </dl>
    </Card>
  )
}

/** One name that several people have. */
function Several({ project, who, list }: { project: string; who: string; list: asking.Somebody[] }) {
  return (
    <Page title={<span dir="auto">{who}</span>} about={`This name means ${counted(list.length, 'user')}. Choose one.`}>
      <Card label="Users of this name" flush>
        <Table label="Users of this name" columns={['User', { name: 'Events', right: true }, 'Last seen']}>
          {list.map((u, i) => (
            <tr key={i}>
              <td className="name"><Link className="link-hover font-semibold" to={userAt(project, nameOf(u))}>{allNames(u)}</Link></td>
              <td className="text-right">{count(u.events)}</td>
              <td><Ago at={u.last} /></td>
            </tr>
          ))}
        </Table>
      </Card>
    </Page>
  )
}
