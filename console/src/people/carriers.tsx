import { lost } from '../core/current.ts'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { count, counted, day } from '../core/format.ts'
import { undoneWords } from '../core/many.ts'
import { Buttons, Copy, Dialog, Empty, Failed, Loading } from '../shared/parts.tsx'
import { useSay } from '../shared/say.tsx'
import { Why } from '../decide/settle.tsx'
import { Card, Page, Table } from '../shared/page.tsx'

/** Workload, by impact and age, and handing it over. */
export function CarriersPage() {
  const got = useQuery(ask.carriers())
  const [from, setFrom] = useState<string>()
  if (lost(got)) return <Failed error={got.error!} again={() => void got.refetch()} />
  if (!got.data) return <Loading />
  const list = got.data.carriers
  if (list.length === 0) {
    return (
      <Empty page title="Nobody has an issue yet">
        <p>An issue&apos;s page proposes who may have it, with reasons; Assign, or s, gives it to a person.</p>
      </Empty>
    )
  }
  const most = Math.max(1, ...list.map((c) => c.impact))
  return (
    <Page title="Workload" about="Open and parked issues of all projects; impact is that of the open ones, added up." actions={<Copy text="firethorn owner list">Copy as command</Copy>}>
      <Card label="Workload" flush>
        <Table label="Workload" columns={['Person or team', 'Project', 'Impact', { name: 'Open', right: true }, { name: 'Parked', right: true }, 'Oldest', { name: 'Hand over', hidden: true }]}>
            {list.map((c) => (
              <tr key={c.person + c.project}>
                <td className="name font-semibold">{c.person}{c.left && <span className="font-normal text-warning"> left</span>}{c.team && <span className="soft font-normal"> team</span>}</td>
                <td>{c.project}</td>
                <td>
                  <span className="flex items-center gap-2">
                    <span className="w-10 text-right">{Math.round(c.impact)}</span>
                    <svg width="120" height="8" aria-hidden="true"><rect className="load" width={Math.max(1, (120 * c.impact) / most)} height="8" rx="1" /></svg>
                  </span>
                </td>
                <td className="text-right">{count(c.issues)}</td>
                <td className="text-right">{count(c.parked)}</td>
                <td>since {day(c.oldest)}</td>
                <td className="text-right"><button className="btn btn-outline btn-xs font-normal" onClick={() => setFrom(c.person)} aria-label={`Hand over the issues of ${c.person}`}>Hand over</button></td>
              </tr>
            ))}
        </Table>
      </Card>
      {from !== undefined && <HandOver from={from} close={() => setFrom(undefined)} />}
    </Page>
  )
}

function HandOver({ from, close }: { from: string; close: () => void }) {
  const client = useQueryClient()
  const say = useSay()
  const people = useQuery(ask.people())
  const [why, setWhy] = useState('')
  const failed = (e: Error) => say(e.message, true)
  const hand = useMutation({ mutationFn: (to: string) => api.handOver({ from, to, ...(why.trim() ? { why: why.trim() } : {}) }), onSuccess: () => void client.invalidateQueries(), onError: failed })
  if (hand.data) return <HandedOver done={hand.data.projects} from={from} to={hand.variables} close={close} />
  return (
    <Dialog title={`Hand over the issues of ${from}`} close={close}>
      <form
        onSubmit={(e) => {
          e.preventDefault()
          hand.mutate(String(new FormData(e.currentTarget).get('to')))
        }}
      >
        <p className="soft mb-2">All issues that are open or parked, of all projects.</p>
        <label className="block">
          <span className="soft mb-1 block">To</span>
          <select name="to" className="select w-full" autoFocus required>
            {people.data?.people.filter((p) => p.name !== from && !p.left).map((p) => <option key={p.email} value={p.name}>{p.name}</option>)}
            {people.data?.teams.filter((t) => t.name !== from).map((t) => <option key={t.name} value={t.name}>{t.name} (team)</option>)}
          </select>
        </label>
        <Why why={why} set={setWhy} />
        <Buttons close={close} off={!people.data || hand.isPending} words="Hand over" />
      </form>
    </Dialog>
  )
}

/** What was handed over, by project, each with the way back. */
function HandedOver({ done, from, to, close }: { done: api.HandedIn[]; from: string; to: string; close: () => void }) {
  const client = useQueryClient()
  const say = useSay()
  const [back, setBack] = useState<string[]>([])
  const undo = useMutation({
    mutationFn: (p: api.HandedIn) => api.undoMany(p.project, p.bulk ?? 0),
    onSuccess: (now, p) => {
      setBack((b) => [...b, p.project])
      say(undoneWords(now.done.length, now.refused))
      void client.invalidateQueries()
    },
    onError: (e) => say(e.message, true),
  })
  return (
    <Dialog title={`${counted(done.reduce((n, p) => n + p.done.length, 0), 'issue')} handed over to ${to}`} close={close}>
      <ul>
        {done.map((p) => (
          <li key={p.project} className="flex flex-wrap items-baseline gap-x-3 py-1">
            <span className="grow">{p.project}: {counted(p.done.length, 'issue')}{p.refused.length > 0 && `, ${p.refused.length} stay with ${from}: ${p.refused[0]?.why}`}</span>
            {p.bulk !== undefined && (back.includes(p.project) ? <span className="soft">taken back</span> : <button type="button" className="btn btn-outline btn-xs font-normal" disabled={undo.isPending} onClick={() => undo.mutate(p)} aria-label={`Take back: ${p.project}`}>Take back</button>)}
          </li>
        ))}
      </ul>
      <div className="mt-4 flex justify-end"><button type="button" className="btn btn-primary btn-sm" onClick={close}>Done</button></div>
    </Dialog>
  )
}
