import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { lost } from '../core/current.ts'
import { roles, roleWords } from '../core/roles.ts'
import type { Role } from '../core/roles.ts'
import { useFew } from '../shared/few.tsx'
import { Card, Field, Form, Table } from '../shared/page.tsx'
import { Dialog, Failed } from '../shared/parts.tsx'
import { useSay } from '../shared/say.tsx'

/** Who has which role in the project, and by what. */
export function Members({ project, may }: { project: string; may: boolean }) {
  const got = useQuery(ask.members(project))
  const [adding, setAdding] = useState(false)
  const list = got.data?.members ?? []
  const { shown, field, rest } = useFew(list, 'a member', (m) => `${m.name} ${m.email ?? ''} ${m.role} ${m.through ?? ''}`)
  return (
    <Card title="Members" note="Who is in none of these rows does not see the project." flush actions={<>{field}{may && <button className="btn btn-outline btn-sm font-normal" onClick={() => setAdding(true)}>Add a member</button>}</>}>
      {lost(got) && <Failed error={got.error!} />}
      {got.data && list.length === 0 ? <p className="soft px-3 pb-2">Nobody has a role here yet.</p> : (
        <Table label="Members" columns={['Name', 'Address', 'Role', 'By', { name: 'Actions', hidden: true }]}>
          {shown.map((m) => <Row key={`${m.name} ${m.everywhere} ${m.through}`} project={project} m={m} may={may} />)}
        </Table>
      )}
      {list.length > 0 && rest}
      {adding && <Add project={project} close={() => setAdding(false)} />}
    </Card>
  )
}

/** Gives a role, or takes it away. */
function useSet(project: string, done?: () => void) {
  const client = useQueryClient()
  const say = useSay()
  return useMutation({
    mutationFn: (body: Parameters<typeof api.setMember>[1]) => api.setMember(project, body),
    onSuccess: (now, body) => {
      client.setQueryData(ask.members(project).queryKey, now)
      void client.invalidateQueries({ queryKey: ask.people().queryKey })
      void client.invalidateQueries({ queryKey: ask.me().queryKey })
      say(body.role === 'none' ? `${body.who} has no role here any more` : `${body.who} is ${body.role} now`)
      done?.()
    },
  })
}

function Row({ project, m, may }: { project: string; m: api.Member; may: boolean }) {
  const say = useSay()
  const set = useSet(project)
  const own = may && !m.everywhere && !m.through
  const change = (role: Role | 'none') => set.mutate({ who: m.email ?? m.name, role }, { onError: (e) => say(e.message, true) })
  return (
    <tr>
      <td className="name font-semibold">{m.name}{m.team && <span className="soft font-normal"> team</span>}</td>
      <td className="name address">{m.email}</td>
      <td>
        {own ? (
          <select className="select select-sm w-auto" aria-label={`Role of ${m.name}`} value={m.role} disabled={set.isPending} onChange={(e) => change(e.target.value as Role)}>
            {roles.map((r) => <option key={r}>{r}</option>)}
          </select>
        ) : m.role}
      </td>
      <td className="soft">{m.through ? `team ${m.through}` : m.everywhere ? 'all projects' : 'this project'}{m.through && m.everywhere && ', all projects'}</td>
      <td className="text-right">{own && <button className="btn btn-outline btn-xs font-normal" disabled={set.isPending} onClick={() => change('none')} aria-label={`Remove ${m.name}`}>Remove</button>}</td>
    </tr>
  )
}

function Add({ project, close }: { project: string; close: () => void }) {
  const people = useQuery(ask.people())
  const me = useQuery(ask.me())
  const [who, setWho] = useState('')
  const [role, setRole] = useState<Role>('member')
  const [reason, setReason] = useState('')
  const set = useSet(project, close)
  const mine = who !== '' && who === me.data?.email && me.data.operator
  const names = [...(people.data?.people ?? []).filter((p) => !p.left).map((p) => [p.email, p.name] as const), ...(people.data?.teams ?? []).map((t) => [t.handle, `${t.name} (team)`] as const)]
  return (
    <Dialog title={`Add a member of ${project}`} close={close}>
      <Form button="Add" submit={() => set.mutate({ who, role, ...(reason.trim() ? { reason: reason.trim() } : {}) })} busy={set.isPending} off={!who.trim() || (mine && !reason.trim())} error={set.error?.message} extra={<button type="button" className="btn btn-ghost btn-sm" onClick={close}>Cancel</button>}>
        <Field name="Person or team" hint="A name or an address; of a team its handle.">
          <input className="input input-sm w-full" list="who" value={who} onChange={(e) => setWho(e.target.value)} maxLength={200} autoFocus />
          <datalist id="who">{names.map(([value, words]) => <option key={value} value={value}>{words}</option>)}</datalist>
        </Field>
        <RoleChoice now={role} choose={setRole} />
        {mine && (
          <Field name="Reason" hint="You are an operator: say why you take a role here. It is written to the audit.">
            <input className="input input-sm w-full" value={reason} onChange={(e) => setReason(e.target.value)} maxLength={500} />
          </Field>
        )}
      </Form>
    </Dialog>
  )
}

function RoleChoice({ now, choose }: { now: Role; choose: (r: Role) => void }) {
  return (
    <fieldset>
      <legend className="font-semibold">Role</legend>
      {roles.map((r) => (
        <label key={r} className="flex items-baseline gap-2 py-0.5">
          <input type="radio" name="role" className="radio radio-sm self-center" checked={now === r} onChange={() => choose(r)} />
          <span><span className="font-semibold">{r}</span> <span className="soft">{roleWords[r]}</span></span>
        </label>
      ))}
    </fieldset>
  )
}
