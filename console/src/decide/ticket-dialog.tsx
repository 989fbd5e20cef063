import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import * as ask from '../api/queries.ts'
import { makeTicket, trackers, unlinkTicket } from '../api/tickets.ts'
import type { Ticket } from '../api/tickets.ts'
import { Choice, Field } from '../shared/page.tsx'
import { Buttons, Dialog, Failed, Loading } from '../shared/parts.tsx'
import { useSay } from '../shared/say.tsx'
import { TicketMark } from '../shared/ticket.tsx'

/** Makes a ticket for an issue, links one that is there, or unlinks one. */
export function TicketDialog({ id, known, close }: { id: string; known: Ticket[]; close: () => void }) {
  const client = useQueryClient()
  const say = useSay()
  const project = ask.projectOf(id)
  const now = useQuery(ask.issue(project, Number(id.split('/')[1]))) // what the round knows may be old
  const tickets = now.data ? (now.data.tickets ?? []) : known
  const all = useQuery(trackers(project))
  const [chosen, setChosen] = useState('')
  const [how, setHow] = useState<'make' | 'link'>('make')
  const [key, setKey] = useState('')
  const into = chosen || all.data?.trackers[0] || ''
  const open = tickets.some((t) => t.destination === into && t.state === 'open')
  const fresh = () => void client.invalidateQueries({ queryKey: ask.allOf(project) })
  const make = useMutation({
    mutationFn: () => makeTicket(id, { in: into, ...(how === 'link' ? { key: key.trim() } : open ? { another: true } : {}) }),
    onSuccess: (d) => {
      say(d.said, d.delivery !== undefined && d.delivery.state !== 'sent')
      fresh()
      close()
    },
    onError: (e) => say(e.message, true),
  })
  const unlink = useMutation({ mutationFn: (t: Ticket) => unlinkTicket(id, t), onSuccess: (d) => { say(d.said); fresh(); close() }, onError: (e) => say(e.message, true) })
  const off = into === '' || make.isPending || (how === 'link' && !key.trim())
  return (
    <Dialog title={`Tickets of ${id}`} close={close}>
      {tickets.length > 0 && (
        <ul className="mb-3">
          {tickets.map((t) => (
            <li key={t.destination + t.key} className="flex flex-wrap items-baseline gap-x-3 border-b border-base-300 py-1">
              <TicketMark ticket={t} /> <span className="soft">in {t.destination}</span>
              <span className="grow" />
              <button type="button" className="btn btn-ghost btn-xs font-normal" disabled={unlink.isPending} onClick={() => unlink.mutate(t)}>Unlink</button>
              {t.trouble && <p className="w-full text-warning">{t.trouble}</p>}
            </li>
          ))}
        </ul>
      )}
      {all.isPending && <Loading />}
      {all.error && <Failed error={all.error} again={() => void all.refetch()} />}
      {all.data?.trackers.length === 0 && (
        <>
          <p>No tracker is connected. An operator connects one with a description of its API:</p>
          <pre className="shell mt-2" tabIndex={0} aria-label="The command">firethorn destination create board --kind tickets --url https://… --file board.yaml</pre>
        </>
      )}
      {(all.data?.trackers.length ?? 0) > 0 && (
        <form
          className="space-y-3"
          onSubmit={(e) => {
            e.preventDefault()
            if (!off) make.mutate()
          }}
        >
          {(all.data?.trackers.length ?? 0) > 1 && <div><Choice label="Tracker" all={(all.data?.trackers ?? []).map((t) => [t, t] as const)} now={into} choose={setChosen} /></div>}
          <div><Choice label="What to do" all={[['make', 'Make a ticket'], ['link', 'Link one']]} now={how} choose={setHow} /></div>
          {how === 'link' && <Field name="Key" hint="As the tracker calls the ticket. Both must be open, or both closed."><input className="input input-sm mono w-full" autoFocus maxLength={200} value={key} onChange={(e) => setKey(e.target.value)} /></Field>}
          {how === 'make' && open && <p className="text-warning">It has an open ticket in {into}. This makes another one.</p>}
          {how === 'make' && !open && <p className="soft">A ticket in {into} with the headline, the trace and links. It and the issue follow each other from then on.</p>}
          <Buttons close={close} off={off} words={how === 'link' ? 'Link it' : 'Make it'} />
        </form>
      )}
    </Dialog>
  )
}
