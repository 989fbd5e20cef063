import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { Card, Field, Form, Table } from '../shared/page.tsx'
import { Ago, Copy, Dialog, Failed } from '../shared/parts.tsx'
import { useSay } from '../shared/say.tsx'

/** The keys that applications report with. */
export function Keys({ project }: { project: string }) {
  const got = useQuery(ask.keys(project))
  const client = useQueryClient()
  const say = useSay()
  const [asked, setAsked] = useState<{ what: 'new' | 'rotate' | 'revoke'; key?: api.Key }>()
  const done = (words: string) => ({
    onSuccess: () => {
      setAsked(undefined)
      say(words)
      void client.invalidateQueries({ queryKey: ask.allOf(project) })
    },
  })
  const create = useMutation({ mutationFn: (label: string) => api.createKey(project, label), ...done('A new key is good from now on') })
  const rotate = useMutation({ mutationFn: (a: { key: string; hours: number }) => api.rotateKey(project, a.key, a.hours), ...done('A new key has taken its place') })
  const revoke = useMutation({ mutationFn: (key: string) => api.revokeKey(project, key), ...done('The key is good no more') })
  const close = () => setAsked(undefined)
  return (
    <Card title="Ingest keys" note="What applications report with. A key only lets events in; it reads nothing." flush actions={<button className="btn btn-outline btn-sm font-normal" onClick={() => setAsked({ what: 'new' })}>New key</button>}>
      {got.error && <Failed error={got.error} />}
      <Table label="Ingest keys" columns={['Key', 'Label', 'State', 'Made', 'Last used', { name: 'Actions', hidden: true }]}>
        {(got.data?.keys ?? []).map((k) => (
          <tr key={k.key}>
            <td className="name mono">{k.key} <Copy text={k.key}>Copy</Copy></td>
            <td className="name">{k.label}{k.routes && <span className="soft"> may name projects</span>}</td>
            <td>{k.good ? k.until ? <>good until {k.until.slice(0, 16).replace('T', ' ')} UTC</> : 'good' : <span className="soft">ended</span>}</td>
            <td className="whitespace-nowrap"><Ago at={k.created} /></td>
            <td className="whitespace-nowrap">{k.last_used ? <Ago at={k.last_used} /> : <span className="soft">not yet</span>}</td>
            <td className="text-right whitespace-nowrap">
              {k.good && (
                <span className="inline-flex gap-1">
                  <button className="btn btn-outline btn-xs font-normal" onClick={() => setAsked({ what: 'rotate', key: k })} aria-label={`Rotate ${k.label || k.key}`}>Rotate</button>
                  <button className="btn btn-outline btn-xs font-normal" onClick={() => setAsked({ what: 'revoke', key: k })} aria-label={`Revoke ${k.label || k.key}`}>Revoke</button>
                </span>
              )}
            </td>
          </tr>
        ))}
      </Table>
      {asked?.what === 'new' && <NewKey close={close} make={(label) => create.mutate(label)} busy={create.isPending} error={create.error?.message} />}
      {asked?.what === 'rotate' && asked.key && <Rotate of={asked.key} close={close} go={(hours) => rotate.mutate({ key: asked.key!.key, hours })} busy={rotate.isPending} error={rotate.error?.message} />}
      {asked?.what === 'revoke' && asked.key && (
        <Dialog title={`Revoke the key ${asked.key.label || asked.key.key}`} close={close}>
          <Form button="Revoke it" submit={() => revoke.mutate(asked.key!.key)} busy={revoke.isPending} error={revoke.error?.message} extra={<button type="button" className="btn btn-ghost btn-sm" onClick={close}>Cancel</button>}>
            <p>Applications that report with it are refused from now on. This cannot be undone. To change it without a gap, rotate it.</p>
          </Form>
        </Dialog>
      )}
    </Card>
  )
}

function NewKey({ close, make, busy, error }: { close: () => void; make: (label: string) => void; busy: boolean; error: string | undefined }) {
  const [label, setLabel] = useState('')
  return (
    <Dialog title="New key" close={close}>
      <Form button="Make it" submit={() => make(label)} busy={busy} error={error} extra={<button type="button" className="btn btn-ghost btn-sm" onClick={close}>Cancel</button>}>
        <Field name="Label" hint="Who uses it, such as: the kiosks at the pier">
          <input className="input input-sm w-full" value={label} onChange={(e) => setLabel(e.target.value)} maxLength={100} autoFocus />
        </Field>
      </Form>
    </Dialog>
  )
}

const overlaps = [[0, 'at once'], [24, 'in a day'], [168, 'in a week'], [720, 'in 30 days']] as const

function Rotate({ of, close, go, busy, error }: { of: api.Key; close: () => void; go: (hours: number) => void; busy: boolean; error: string | undefined }) {
  const [hours, setHours] = useState(168)
  return (
    <Dialog title={`Rotate the key ${of.label || of.key}`} close={close}>
      <Form button="Rotate it" submit={() => go(hours)} busy={busy} error={error} extra={<button type="button" className="btn btn-ghost btn-sm" onClick={close}>Cancel</button>}>
        <p>A new key takes its place. Until the old one ends, both are good: deploy the new one meanwhile.</p>
        <Field name="The old key ends">
          <select className="select select-sm" value={hours} onChange={(e) => setHours(Number(e.target.value))}>{overlaps.map(([h, words]) => <option key={h} value={h}>{words}</option>)}</select>
        </Field>
      </Form>
    </Dialog>
  )
}
