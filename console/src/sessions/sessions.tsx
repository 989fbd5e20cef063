import { useInfiniteQuery, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { issueAt, outcomes, pageAt } from '../core/address.ts'
import { lost } from '../core/current.ts'
import { count, counted, lasted } from '../core/format.ts'
import { option } from '../core/shell.ts'
import { useAddress } from '../shared/address.ts'
import { Card, Choice, Page, Table } from '../shared/page.tsx'
import { Ago, Copy, Dialog, Empty, Failed, Loading } from '../shared/parts.tsx'

const windows = [[1, 'today'], [7, '7 days'], [14, '14 days'], [90, '90 days']] as const
const named = outcomes.map((o) => [o, o || 'all'] as const)

/** The runs of an application: how many ended how, by release, and which. */
export function SessionsPage() {
  const { project, state, set } = useAddress('sessions')
  const counts = useQuery(ask.sessionCounts(project, state.days))
  if (lost(counts)) return <Failed error={counts.error!} again={() => void counts.refetch()} />
  if (!counts.data) return <Loading />
  const total = counts.data.total
  return (
    <Page
      title="Sessions"
      about={total.sessions > 0 && <>{counted(total.sessions, 'session')} from {counts.data.from} to {counts.data.to} (UTC); {percent(total.crash_free)} of those that ended did not crash.</>}
      actions={
        <>
          <Choice label="Window" all={windows} now={state.days} choose={(days) => set({ days })} />
          <Copy text={`firethorn session counts ${option('--project', project)} --days ${state.days}`}>Copy as command</Copy>
        </>
      }
    >
      {total.sessions === 0 ? (
        <Empty title="No session in this time">
          <p>A session is one run of the application by one user. Clients report them when they are started with sessions; then releases can be compared by how many do not crash.</p>
          <p className="mt-2"><Link className="link" to={pageAt(project, 'set-up')}>Set the application up</Link> shows how.</p>
        </Empty>
      ) : (
        <>
          <Card title="By release" flush>
            <Table label="Sessions by release" columns={['Release', 'Environment', right('Sessions'), right('Clean'), right('Faulty'), right('Crashed'), right('Cut off'), right('Running'), right('Without a crash')]}>
              {counts.data.counts.map((c) => (
                <tr key={`${c.release} ${c.environment}`}>
                  <td className="name mono">{c.release || 'none'}</td>
                  <td>{c.environment}</td>
                  {[c.sessions, c.clean, c.faulty].map((n, i) => <td key={i} className="text-right">{count(n)}</td>)}
                  <td className={`text-right ${c.crashed > 0 ? 'hurts' : ''}`}>{count(c.crashed)}</td>
                  {[c.cut_off, c.running].map((n, i) => <td key={i} className="text-right">{count(n)}</td>)}
                  <td className="text-right">{c.sessions > c.running ? percent(c.crash_free) : '–'}</td>
                </tr>
              ))}
            </Table>
          </Card>
          <List project={project} outcome={state.outcome} choose={(outcome) => set({ outcome })} />
        </>
      )}
    </Page>
  )
}

const right = (name: string) => ({ name, right: true })
const percent = (share: number) => `${(100 * share).toFixed(2)} %`

function List({ project, outcome, choose }: { project: string; outcome: (typeof outcomes)[number]; choose: (o: (typeof outcomes)[number]) => void }) {
  const got = useInfiniteQuery(ask.sessions(project, outcome))
  const [open, setOpen] = useState<string>()
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  const list = got.data?.pages.flatMap((p) => p.sessions) ?? []
  return (
    <Card title="The newest" flush actions={<Choice label="Outcome" all={named} now={outcome} choose={choose} />}>
      {list.length === 0 ? <p className="soft px-3 pb-2">{got.data ? 'No session ended so.' : 'Loading …'}</p> : (
        <Table label="The newest sessions" columns={['Session', 'Started', 'Lasted', 'Outcome', 'Release', 'Environment']}>
          {list.map((s) => (
            <tr key={s.id + s.started}>
              <td className="name"><button className="link mono" onClick={() => setOpen(s.id)}>{s.id}</button></td>
              <td className="whitespace-nowrap"><Ago at={s.started} /></td>
              <td className="whitespace-nowrap">{lasted(s.duration_ms)}</td>
              <td className={s.outcome === 'crashed' ? 'hurts' : ''}>{s.outcome}</td>
              <td className="mono">{s.release || 'none'}</td>
              <td>{s.environment}</td>
            </tr>
          ))}
        </Table>
      )}
      {got.hasNextPage && <button className="btn btn-ghost btn-sm m-1 font-normal" disabled={got.isFetchingNextPage} onClick={() => void got.fetchNextPage()}>Load more</button>}
      {open !== undefined && <One project={project} id={open} close={() => setOpen(undefined)} />}
    </Card>
  )
}

/** One session, and the events that happened in it. */
function One({ project, id, close }: { project: string; id: string; close: () => void }) {
  const got = useQuery(ask.session(project, id))
  return (
    <Dialog title={`Session ${id}`} close={close} wide>
      {got.error && <Failed error={got.error} />}
      {!got.data && !got.error && <Loading />}
      {got.data && <Events session={got.data} />}
      <div className="mt-4 text-right"><button className="btn btn-primary btn-sm" onClick={close}>Close</button></div>
    </Dialog>
  )
}

function Events({ session: s }: { session: api.SessionDetail }) {
  const list = s.events
  return (
    <>
      <p className="soft">{s.outcome}, started <Ago at={s.started} />, lasted {lasted(s.duration_ms)}, last heard <Ago at={s.last_heard} />.</p>
      {list.length === 0 ? <p className="mt-2">No event was thrown in it, or none is kept.</p> : (
        <ul className="lines mt-2">
          {list.map((e) => (
            <li key={e.id} className="py-1"><Link className="link-hover font-semibold" to={issueAt(e.issue, e.id)}>{e.headline}</Link> <span className="soft">{e.issue} <Ago at={e.time} /></span></li>
          ))}
        </ul>
      )}
    </>
  )
}
