import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { lost } from '../core/current.ts'
import { count, counted } from '../core/format.ts'
import { size } from '../core/symbols.ts'
import { CircleCheck } from '../shared/icons.tsx'
import { Alert, Card, Form, Page, Table } from '../shared/page.tsx'
import { Ago, Copy, Dialog, Failed, Loading } from '../shared/parts.tsx'
import { useSay } from '../shared/say.tsx'
import { Counters } from './counters.tsx'
import { useOperator } from '../shared/rights.ts'

/** How the service is: what waits, what failed, whether its counters are right. */
export function ServicePage() {
  const got = useQuery(ask.status())
  const operator = useOperator()
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  const s = got.data
  return (
    <Page title="Service" about={s.well ? <span className="text-primary"><CircleCheck className="inline size-4 align-[-2px]" /> All is well</span> : 'Something needs attention.'} actions={<Copy text="firethorn status">Copy as command</Copy>}>
      {s.advice.map((a) => <Alert key={a}>{a}</Alert>)}
      <Card title="How it is">
        <dl className="grid gap-x-10 gap-y-1 sm:grid-cols-[auto_1fr] sm:justify-start">
          <Fact name="Events that wait">{count(s.waiting)}{s.oldest && <span className="soft">, the oldest since <Ago at={s.oldest} /></span>}</Fact>
          <Fact name="Processes that work on them">{s.processes}</Fact>
          {s.database && <Fact name="Database">{s.database.version}, {s.database.durable ? 'every commit is synced' : <span className="hurts">commits are not synced</span>}</Fact>}
          {s.database?.disk_free !== undefined && <Fact name="Disk that is free">{size(s.database.disk_free)}</Fact>}
          {s.recounting > 0 && <Fact name="Under way">{counted(s.recounting, 'merge, split or regrouping').replace('regroupings', 'regrouping')}</Fact>}
        </dl>
      </Card>
      {operator && <Queue />}
      {operator ? <Counters /> : <p className="soft">Operators see failed events and compare counters here.</p>}
    </Page>
  )
}

function Fact({ name, children }: { name: string; children: React.ReactNode }) {
  return (
    <>
      <dt className="soft">{name}</dt>
      <dd>{children}</dd>
    </>
  )
}

/** Events that could not be processed: each can be tried again or let go. */
function Queue() {
  const got = useQuery(ask.queue())
  const client = useQueryClient()
  const say = useSay()
  const [asked, setAsked] = useState<{ event: api.FailedEvent | undefined }>()
  const [shown, setShown] = useState<api.FailedEvent>()
  const ended = (words: string) => {
    setAsked(undefined)
    say(words)
    void client.invalidateQueries()
  }
  const retry = useMutation({ mutationFn: (id: string) => api.retryEvent(id), onSuccess: (n) => ended(`${counted(n.events, 'event')} will be processed again`), onError: (e) => say(e.message, true) })
  const discard = useMutation({ mutationFn: (id: string) => api.discardEvent(id), onSuccess: (n) => ended(`${counted(n.events, 'event')} let go`), onError: (e) => say(e.message, true) })
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  const q = got.data
  if (!q) return null
  const many = q.set_aside_total
  return (
    <Card
      title="Failed events"
      note={many === 0 ? 'None. An event that cannot be processed is kept here, and nothing is lost.' : `${counted(many, 'event')} could not be processed; each is kept. Try again once the cause is mended.`}
      flush
      actions={many > 0 && (
        <>
          <button className="btn btn-outline btn-sm font-normal" onClick={() => retry.mutate('all')} disabled={retry.isPending}>Try all again</button>
          <button className="btn btn-ghost btn-sm font-normal" onClick={() => setAsked({ event: undefined })}>Let all go</button>
        </>
      )}
    >
      {many > 0 && (
        <Table label="Failed events" columns={['Project', 'Received', 'Why', { name: 'Actions', hidden: true }]}>
          {q.set_aside.map((e) => (
            <tr key={e.id}>
              <td className="name">{e.project}</td>
              <td className="whitespace-nowrap"><Ago at={e.received} /></td>
              <td className="name">{e.error}</td>
              <td className="text-right whitespace-nowrap">
                <span className="inline-flex gap-1">
                  {e.body !== undefined && <button className="btn btn-outline btn-xs font-normal" onClick={() => setShown(e)} aria-label={`Show the event of ${e.project}`}>Show</button>}
                  <button className="btn btn-outline btn-xs font-normal" onClick={() => retry.mutate(e.id)}>Try again</button>
                  <button className="btn btn-outline btn-xs font-normal" onClick={() => setAsked({ event: e })}>Let go</button>
                </span>
              </td>
            </tr>
          ))}
        </Table>
      )}
      {q.projects.length > 0 && <p className="soft px-3 pb-2">Waiting: {q.projects.map((p) => `${p.project} ${count(p.events)}`).join(', ')}.</p>}
      {asked && (
        <Dialog title={asked.event ? 'Let this event go' : `Let ${counted(many, 'event')} go`} close={() => setAsked(undefined)}>
          <Form button="Let go" submit={() => discard.mutate(asked.event?.id ?? 'all')} busy={discard.isPending} extra={<button type="button" className="btn btn-ghost btn-sm" onClick={() => setAsked(undefined)}>Cancel</button>}>
            <p>{asked.event ? 'It is' : 'They are'} deleted; only the count stays. This cannot be undone.</p>
          </Form>
        </Dialog>
      )}
      {shown && (
        <Dialog title={`An event of ${shown.project}`} close={() => setShown(undefined)} wide>
          <p className="hurts mb-2 break-words">{shown.error}</p>
          <pre className="shell max-h-96" tabIndex={0} aria-label="The event as it was stored">{JSON.stringify(shown.body, null, 2)}</pre>
          <div className="mt-3 text-right"><button className="btn btn-primary btn-sm" onClick={() => setShown(undefined)}>Close</button></div>
        </Dialog>
      )}
    </Card>
  )
}
