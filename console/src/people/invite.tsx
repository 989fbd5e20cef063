import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { roles } from '../core/roles.ts'
import type { Role } from '../core/roles.ts'
import { Field, Form } from '../shared/page.tsx'
import { Copy, Dialog } from '../shared/parts.tsx'
import { useSay } from '../shared/say.tsx'

/** A link that signs in once: shown this once. */
export function LinkDialog({ name, link, close }: { name: string; link: string; close: () => void }) {
  return (
    <Dialog title={`Sign-in link for ${name}`} close={close} wide>
      <p>It works once, within 24 hours, and is shown this once. Whoever opens it is {name}: send it to nobody else.</p>
      <pre className="shell mt-3 break-all whitespace-pre-wrap" tabIndex={0}>{link}</pre>
      <div className="mt-3 flex justify-end gap-2">
        <Copy text={link}>Copy the link</Copy>
        <button className="btn btn-primary btn-sm" onClick={close}>Done</button>
      </div>
    </Dialog>
  )
}

type Choice = Role | ''

/** What somebody is in all projects. */
function RoleField({ name, hint, now, choose }: { name: string; hint: string; now: Choice; choose: (r: Choice) => void }) {
  return (
    <Field name={name} hint={hint}>
      <select className="select select-sm w-full" value={now} onChange={(e) => choose(e.target.value as Choice)}>
        <option value="">no role</option>
        {roles.map((r) => <option key={r}>{r}</option>)}
      </select>
    </Field>
  )
}

/** Adds somebody. */
export function Invite({ close }: { close: () => void }) {
  const [name, setName] = useState('')
  const [email, setEmail] = useState('')
  const [operator, setOperator] = useState(false)
  const [role, setRole] = useState<Choice>('')
  const [project, setProject] = useState('')
  const projects = useQuery(ask.projects())
  const client = useQueryClient()
  const add = useMutation({
    mutationFn: () => api.addPerson({ name, email, ...(operator ? { operator } : {}), ...(role ? { role, ...(project ? { project } : {}) } : {}) }),
    onSuccess: () => void client.invalidateQueries({ queryKey: ask.people().queryKey }),
  })
  if (add.data?.sign_in_link) return <LinkDialog name={add.data.name} link={add.data.sign_in_link} close={close} />
  return (
    <Dialog title="Add someone" close={close}>
      <Form button="Add" submit={() => add.mutate()} busy={add.isPending} off={!name.trim() || !email.includes('@')} error={add.error?.message} extra={<button type="button" className="btn btn-ghost btn-sm" onClick={close}>Cancel</button>}>
        <Field name="Name"><input className="input input-sm w-full" value={name} onChange={(e) => setName(e.target.value)} maxLength={100} autoFocus /></Field>
        <Field name="Address"><input className="input input-sm w-full" type="email" value={email} onChange={(e) => setEmail(e.target.value)} maxLength={200} /></Field>
        <RoleField name="Role" hint="Without one they see no project." now={role} choose={setRole} />
        {role && (
          <Field name="Where">
            <select className="select select-sm w-full" value={project} onChange={(e) => setProject(e.target.value)}>
              <option value="">all projects, including later ones</option>
              {projects.data?.projects.map((p) => <option key={p.name}>{p.name}</option>)}
            </select>
          </Field>
        )}
        <label className="flex items-center gap-2"><input type="checkbox" className="checkbox checkbox-sm" checked={operator} onChange={(e) => setOperator(e.target.checked)} /> operates the service: people, projects, the audit, the queue</label>
      </Form>
    </Dialog>
  )
}

/** What somebody may: in all projects, and for the service; and that they are somebody else. */
export function RolesOf({ p, close }: { p: api.Person; close: () => void }) {
  const client = useQueryClient()
  const say = useSay()
  const me = useQuery(ask.me())
  const people = useQuery(ask.people())
  const [role, setRole] = useState<Choice>(p.everywhere ?? '')
  const [operator, setOperator] = useState(p.operator)
  const [reason, setReason] = useState('')
  const [into, setInto] = useState('')
  const done = (words: string) => {
    say(words)
    void client.invalidateQueries({ queryKey: ask.people().queryKey })
    void client.invalidateQueries({ queryKey: ask.me().queryKey })
    close()
  }
  const save = useMutation({
    mutationFn: async () => {
      if (role !== (p.everywhere ?? '')) await api.setRoleEverywhere(p.email, { role: role || 'none', ...(reason.trim() ? { reason: reason.trim() } : {}) })
      if (operator !== p.operator) await api.setOperator(p.email, operator)
    },
    onSuccess: () => done(`Roles of ${p.name} changed`),
  })
  const merge = useMutation({ mutationFn: () => api.mergePeople(p.email, into), onSuccess: () => done(`${p.name} is ${into} now`) })
  const mine = me.data?.email === p.email && role !== '' && role !== p.everywhere
  return (
    <Dialog title={`Roles of ${p.name}`} close={close}>
      <div className="space-y-6">
        <Form button="Save" submit={() => save.mutate()} busy={save.isPending} off={(role === (p.everywhere ?? '') && operator === p.operator) || (mine && !reason.trim())} error={save.error?.message} extra={<button type="button" className="btn btn-ghost btn-sm" onClick={close}>Cancel</button>}>
          <RoleField name="In all projects" hint="Roles in single projects stand in the settings of each." now={role} choose={setRole} />
          {mine && <Field name="Reason" hint="It is written to the audit."><input className="input input-sm w-full" value={reason} onChange={(e) => setReason(e.target.value)} maxLength={500} /></Field>}
          <label className="flex items-center gap-2"><input type="checkbox" className="checkbox checkbox-sm" checked={operator} onChange={(e) => setOperator(e.target.checked)} /> operates the service</label>
        </Form>
        <Form button="Merge" submit={() => merge.mutate()} busy={merge.isPending} off={!into} error={merge.error?.message}>
          <Field name="The same person as" hint={`Issues, roles, teams and notices of ${p.name} become theirs. This cannot be undone.`}>
            <select className="select select-sm w-full" value={into} onChange={(e) => setInto(e.target.value)}>
              <option value="">nobody else</option>
              {people.data?.people.filter((x) => !x.left && x.email !== p.email).map((x) => <option key={x.email} value={x.name}>{x.name}</option>)}
            </select>
          </Field>
        </Form>
      </div>
    </Dialog>
  )
}
