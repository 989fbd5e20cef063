import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import * as asking from '../api/alerts.ts'
import type { Delivery, Destination } from '../api/alerts.ts'
import { issueAt } from '../core/address.ts'
import { states } from '../core/alerts.ts'
import { lost } from '../core/current.ts'
import { count, minute } from '../core/format.ts'
import { args } from '../core/shell.ts'
import { Card, Page, Table } from '../shared/page.tsx'
import { Ago, Copy, Dialog, Failed, Loading } from '../shared/parts.tsx'
import { useOperator } from '../shared/rights.ts'
import { useSay } from '../shared/say.tsx'
import { NewDestination } from './new-destination.tsx'

/** Where messages go, whether they arrive, and the newest of them. */
export function DestinationsPage() {
  const got = useQuery(asking.destinations())
  const operator = useOperator()
  const [making, setMaking] = useState(false)
  const [of, setOf] = useState('')
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  const list = got.data.destinations
  return (
    <Page
      title="Destinations" about="Where alerts go. Operators make destinations; the alert rules of projects name them."
      actions={
        <>
          {operator && <button className="btn btn-primary btn-sm" onClick={() => setMaking(true)}>New destination</button>}
          <Copy text="firethorn destination list">Copy as command</Copy>
        </>
      }
    >
      <Card label="Destinations" flush>
        {list.length === 0 ? <p className="soft px-3 py-2">No destination yet. {operator ? 'Make one: a webhook, a chat room, a mail server or a pager.' : 'An operator makes one.'}</p> : (
          <Table label="Destinations" columns={['Name', 'Kind', 'State', { name: 'Arrived, 7 days', right: true }, { name: 'Waiting', right: true }, { name: 'Failed', right: true }, 'Projects', 'Address', { name: 'Actions', hidden: true }]}>
            {list.map((d) => <Row key={d.name} d={d} operator={operator === true} />)}
          </Table>
        )}
      </Card>
      <Deliveries of={of} setOf={setOf} all={list} operator={operator === true} />
      {making && <NewDestination close={() => setMaking(false)} />}
    </Page>
  )
}

function Row({ d, operator }: { d: Destination; operator: boolean }) {
  const client = useQueryClient()
  const say = useSay()
  const again = () => void client.invalidateQueries({ queryKey: asking.deliveriesKey })
  const test = useMutation({
    mutationFn: () => asking.testDestination(d.name),
    onSuccess: (t) => {
      say(t.state === 'sent' ? `The test arrived at ${d.name}.` : `The test did not arrive: ${t.tries.at(-1)?.error ?? 'no answer'}`, t.state !== 'sent')
      again()
    },
    onError: (e) => say(e.message, true),
  })
  const [removing, setRemoving] = useState(false)
  const remove = useMutation({ mutationFn: () => asking.removeDestination(d.name), onSuccess: () => void client.invalidateQueries({ queryKey: asking.destinationsKey }), onError: (e) => say(e.message, true) })
  return (
    <tr>
      <td className="name font-semibold">{d.name}</td>
      <td>{d.kind}</td>
      <td className="whitespace-nowrap">{d.state === 'ready' ? 'ready' : <span className="hurts" title={d.failing_since}>{d.state} {d.failing_since && <>since <Ago at={d.failing_since} /></>}</span>}</td>
      <td className="text-right">{count(d.last_week['sent'] ?? 0)}</td>
      <td className="text-right">{count((d.last_week['waiting'] ?? 0) + (d.last_week['held'] ?? 0))}</td>
      <td className={`text-right ${d.last_week['failed'] ? 'hurts' : ''}`}>{count(d.last_week['failed'] ?? 0)}</td>
      <td className="name">{d.projects?.join(', ') ?? 'all'}</td>
      <td className="name mono max-w-72 truncate" title={d.url}>{d.url ?? <span className="soft">operators see it</span>}</td>
      <td className="text-right whitespace-nowrap">
        {operator && (
          <span className="inline-flex gap-1">
            <button className="btn btn-outline btn-xs font-normal" disabled={test.isPending} onClick={() => test.mutate()} aria-label={`Test ${d.name}`}>Test</button>
            <button className="btn btn-outline btn-xs font-normal" onClick={() => setRemoving(true)} aria-label={`Remove ${d.name}`}>Remove</button>
          </span>
        )}
        {removing && (
          <Dialog title={`Remove ${d.name}?`} close={() => setRemoving(false)}>
            <p>Messages that wait for it are cancelled. Rules that name it stay, and say that there is no such destination.</p>
            <p className="mt-4 flex justify-end gap-2">
              <button className="btn btn-ghost btn-sm font-normal" onClick={() => setRemoving(false)}>Cancel</button>
              <button className="btn btn-primary btn-sm" onClick={() => remove.mutate()}>Remove</button>
            </p>
          </Dialog>
        )}
      </td>
    </tr>
  )
}

/** The newest messages, of one destination or all. */
function Deliveries({ of, setOf, all, operator }: { of: string; setOf: (d: string) => void; all: Destination[]; operator: boolean }) {
  const [state, setState] = useState('')
  const got = useQuery(asking.deliveries(of, state))
  const [open, setOpen] = useState('')
  const list = got.data?.deliveries ?? []
  return (
    <Card
      title="Deliveries" flush note="The newest first, kept for 90 days."
      actions={
        <>
          <select className="select select-sm w-auto" aria-label="Destination" value={of} onChange={(e) => setOf(e.target.value)}>
            <option value="">all destinations</option>
            {all.map((d) => <option key={d.name}>{d.name}</option>)}
          </select>
          <select className="select select-sm w-auto" aria-label="State" value={state} onChange={(e) => setState(e.target.value)}>
            <option value="">any state</option>
            {Object.entries(states).map(([s, word]) => <option key={s} value={s}>{word}</option>)}
          </select>
          <Copy text={['firethorn delivery list', of && `--destination ${args(of)}`, state && `--state ${state}`].filter(Boolean).join(' ')}>Copy as command</Copy>
        </>
      }
    >
      {list.length === 0 ? <p className="soft px-3 pb-2">No delivery{(of || state) && ' like that'}.</p> : (
        <Table label="Deliveries" columns={['When', 'Subject', 'To', 'Issue', 'State', { name: 'Tries', right: true }, { name: 'Actions', hidden: true }]}>
          {list.map((d) => (
            <tr key={d.id}>
              <td className="soft whitespace-nowrap"><Ago at={d.created} /></td>
              <td className="name"><button type="button" className="link-hover cursor-pointer text-left" onClick={() => setOpen(d.id)}>{d.subject}</button></td>
              <td className="name">{d.person ? <>{d.person} <span className="soft">by {d.destination}</span></> : d.destination}</td>
              <td className="name">{d.issue && <Link className="link-hover" to={issueAt(d.issue)}>{d.issue}</Link>}</td>
              <td className={`whitespace-nowrap ${d.state === 'failed' ? 'hurts' : ''}`}>{states[d.state] ?? d.state}{d.state === 'held' && d.due && <span className="soft"> until {minute(d.due)}</span>}</td>
              <td className="text-right">{d.attempts}</td>
              <td className="text-right">{operator && d.state === 'failed' && <Retry d={d} />}</td>
            </tr>
          ))}
        </Table>
      )}
      {open && <One id={open} close={() => setOpen('')} />}
    </Card>
  )
}

function Retry({ d }: { d: Delivery }) {
  const client = useQueryClient()
  const say = useSay()
  const retry = useMutation({ mutationFn: () => asking.retryDelivery(d.id), onSuccess: () => void client.invalidateQueries({ queryKey: asking.deliveriesKey }), onError: (e) => say(e.message, true) })
  return <button className="btn btn-outline btn-xs font-normal" onClick={() => retry.mutate()}>Try again</button>
}

/** One delivery: its tries, and what it says. */
function One({ id, close }: { id: string; close: () => void }) {
  const got = useQuery(asking.delivery(id))
  const d = got.data
  return (
    <Dialog title={d?.subject ?? 'Delivery'} close={close} wide>
      {!d ? <Loading /> : (
        <>
          <p className="soft"><span className="mono">{d.id}</span>, {d.type}, {states[d.state] ?? d.state}{d.rule && <>, by the rule {d.rule}</>}</p>
          <ul className="mt-2">
            {d.tries.map((t, i) => <li key={i}>Try {i + 1}, <Ago at={t.time} />: {t.error ? <span className="hurts">{t.error}</span> : <>answered {t.status} in {t.took_ms} ms</>}{t.answer && <pre className="shell mt-1">{t.answer}</pre>}</li>)}
            {d.tries.length === 0 && <li className="soft">Not tried yet.</li>}
          </ul>
          {d.body && <pre className="shell mt-3 max-h-80 overflow-auto" tabIndex={0} aria-label="What is sent">{d.body}</pre>}
          <p className="mt-4 text-right"><button className="btn btn-primary btn-sm" autoFocus onClick={close}>Close</button></p>
        </>
      )}
    </Dialog>
  )
}
