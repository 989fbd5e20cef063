import { useInfiniteQuery, useMutation, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { lost } from '../core/current.ts'
import { count } from '../core/format.ts'
import { option } from '../core/shell.ts'
import { useAddress } from '../shared/address.ts'
import { CircleCheck } from '../shared/icons.tsx'
import { Alert, Card, Page, Table } from '../shared/page.tsx'
import { Ago, Copy, Dialog, Failed, Loading } from '../shared/parts.tsx'

/** Who did what to people, tokens, keys, projects, rules and the queue, when, and from where. */
export function AuditPage() {
  const { state: { project, person }, set } = useAddress('audit')
  const got = useInfiniteQuery(ask.audit(project, person))
  const projects = useQuery(ask.projects())
  const people = useQuery(ask.people())
  const verify = useMutation({ mutationFn: () => api.verifyAudit() })
  const [shown, setShown] = useState<api.AuditEntry>()
  if (got.error instanceof api.ApiError && got.error.status === 403) return <Page title="Audit" about="Only operators read who did what." />
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  const list = got.data.pages.flatMap((p) => p.entries)
  const command = ['firethorn audit list', project && option('--project', project), person && option('--person', person)].filter(Boolean).join(' ')
  return (
    <Page
      title="Audit"
      about="Who did what to people, tokens, keys, projects, rules and the queue. Kept for 400 days."
      actions={
        <>
          <button className="btn btn-outline btn-sm font-normal" disabled={verify.isPending} onClick={() => verify.mutate()}>{verify.isPending ? 'Checking …' : 'Check the chain'}</button>
          <a className="btn btn-outline btn-sm font-normal" href="/api/audit/export" download="audit.ndjson">Export</a>
          <Copy text={command}>Copy as command</Copy>
        </>
      }
    >
      {verify.error && <Failed error={verify.error} />}
      {verify.data && (verify.data.holds ? (
        <div role="status" className="panel px-3 py-2">
          <CircleCheck className="inline size-4 align-[-2px] text-primary" /> {count(verify.data.entries)} entries are as they were written. The newest is {verify.data.last}, with the hash <code className="mono break-all">{verify.data.hash}</code>. Note it elsewhere: with it you can prove later that the end was not rewritten.
        </div>
      ) : <Alert tone="bad">Broken at entry {verify.data.broken_at}: {verify.data.why}. Somebody changed the database beside the service.</Alert>)}
      <Card
        label="Audit" flush
        title={<span className="sr-only">Entries</span>}
        actions={
          <>
            <Chosen label="Project" all={projects.data?.projects.map((p) => p.name) ?? []} now={project} choose={(v) => set({ project: v })} />
            <Chosen label="Person" all={people.data?.people.map((p) => p.name) ?? []} now={person} choose={(v) => set({ person: v })} />
          </>
        }
      >
        {list.length === 0 ? <p className="soft px-3 pb-2">Nothing was done that fits.</p> : (
          <Table label="What was done" columns={[{ name: 'Entry', right: true }, 'When', 'Who', 'Did', 'To', 'Project', 'From', { name: 'Details', hidden: true }]}>
            {list.map((e) => (
              <tr key={e.id}>
                <td className="soft text-right">{e.id}</td>
                <td className="whitespace-nowrap"><Ago at={e.at} /></td>
                <td className="name">{e.who || <span className="soft">{e.kind}</span>}{e.kind === 'token' && <span className="soft"> token</span>}</td>
                <td className={`whitespace-nowrap ${e.action === 'refused' ? 'hurts' : ''}`}>{e.action}</td>
                <td className="name">{e.target}</td>
                <td>{e.project}</td>
                <td className="mono soft">{e.address}</td>
                <td className="text-right">{(e.before !== undefined || e.after !== undefined) && <button className="btn btn-outline btn-xs font-normal" onClick={() => setShown(e)} aria-label={`Details of entry ${e.id}`}>Details</button>}</td>
              </tr>
            ))}
          </Table>
        )}
        {got.hasNextPage && <button className="btn btn-ghost btn-sm m-1 font-normal" disabled={got.isFetchingNextPage} onClick={() => void got.fetchNextPage()}>Show older</button>}
      </Card>
      {shown && (
        <Dialog title={`${shown.action}: ${shown.target}`} close={() => setShown(undefined)} wide>
          {[['before', shown.before], ['after', shown.after]].map(([when, v]) => v !== undefined && (
            <div key={String(when)} className="mb-2">
              <h3 className="soft">{String(when)}</h3>
              <pre className="shell" tabIndex={0} aria-label={String(when)}>{JSON.stringify(v, null, 2)}</pre>
            </div>
          ))}
          <div className="text-right"><button className="btn btn-primary btn-sm" onClick={() => setShown(undefined)}>Close</button></div>
        </Dialog>
      )}
    </Page>
  )
}

function Chosen({ label, all, now, choose }: { label: string; all: string[]; now: string; choose: (v: string) => void }) {
  return (
    <select className="select select-sm w-auto max-w-48" aria-label={label} value={now} onChange={(e) => choose(e.target.value)}>
      <option value="">{label}: all</option>
      {all.map((v) => <option key={v}>{v}</option>)}
    </select>
  )
}
