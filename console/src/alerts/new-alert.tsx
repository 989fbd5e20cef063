import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import * as asking from '../api/alerts.ts'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { becomings, emptyAlert, ruleYaml, withRule, wrongWith } from '../core/alerts.ts'
import type { AlertForm } from '../core/alerts.ts'
import { Field, Form } from '../shared/page.tsx'
import { Dialog, Loading } from '../shared/parts.tsx'
import { useSay } from '../shared/say.tsx'

/** Asks for an alert rule and writes it into the rules file. The YAML is shown as it is made. */
export function NewAlert({ project, search, close }: { project: string; search: string; close: () => void }) {
  const [f, setForm] = useState<AlertForm>({ ...emptyAlert, search })
  const places = useQuery(asking.destinations())
  const saved = useQuery(ask.rules(project))
  const client = useQueryClient()
  const say = useSay()
  const set = (change: Partial<AlertForm>) => setForm({ ...f, ...change })
  const save = useMutation({
    mutationFn: () => api.pushRules(project, withRule(saved.data!.text, ruleYaml(f)), `alert: ${f.name.trim()}`, saved.data!.version),
    onSuccess: () => {
      say('Saved. The alert acts within 5 seconds.')
      void client.invalidateQueries({ queryKey: ask.rulesOf(project) })
      void client.invalidateQueries({ queryKey: asking.alerts(project).queryKey })
      close()
    },
  })
  if (!saved.data || !places.data) return <Dialog title="New alert" close={close}><Loading /></Dialog>
  const wrong = wrongWith(f)
  const flip = (list: string[], x: string) => (list.includes(x) ? list.filter((y) => y !== x) : [...list, x])
  const receivers = [...places.data.destinations.filter((d) => !d.serves_people && (!d.projects || d.projects.includes(project))).map((d) => d.name), 'owner', 'watchers', 'members']
  return (
    <Dialog title="New alert" close={close} wide>
      <Form button="Save" submit={() => save.mutate()} busy={save.isPending} off={wrong !== ''} error={save.error?.message} extra={<button type="button" className="btn btn-ghost btn-sm font-normal" onClick={close}>Cancel</button>}>
        <Field name="Name"><input className="input input-sm w-full" autoFocus maxLength={60} value={f.name} onChange={(e) => set({ name: e.target.value })} placeholder="new in the newest release" /></Field>
        <fieldset>
          <legend className="font-semibold">When an issue</legend>
          <div className="mt-1 grid grid-cols-2 gap-x-4 gap-y-1">
            {becomings.map(([b, words]) => (
              <label key={b} className="flex items-center gap-2"><input type="checkbox" className="checkbox checkbox-sm" checked={f.becomes.includes(b)} onChange={() => set({ becomes: flip(f.becomes, b), users: '', events: '' })} /> {words}</label>
            ))}
          </div>
        </fieldset>
        <div className="grid gap-3 sm:grid-cols-4">
          <Field name="Or: users"><input className="input input-sm w-full" inputMode="numeric" value={f.users} onChange={(e) => set({ users: e.target.value, becomes: e.target.value ? [] : f.becomes })} /></Field>
          <Field name="Events"><input className="input input-sm w-full" inputMode="numeric" value={f.events} onChange={(e) => set({ events: e.target.value, becomes: e.target.value ? [] : f.becomes })} /></Field>
          <Field name="Within"><input className="input input-sm w-full" value={f.within} onChange={(e) => set({ within: e.target.value })} /></Field>
          <Field name="Again after"><input className="input input-sm w-full" value={f.again} onChange={(e) => set({ again: e.target.value })} placeholder="once" /></Field>
        </div>
        <Field name="Only events that fit the search" hint="Empty: all. For example environment:production plan:gold"><input className="input input-sm mono w-full" value={f.search} onChange={(e) => set({ search: e.target.value })} /></Field>
        <label className="flex items-center gap-2"><input type="checkbox" className="checkbox checkbox-sm" checked={f.newest} onChange={() => set({ newest: !f.newest })} /> Only in the newest release</label>
        <fieldset>
          <legend className="font-semibold">Tell</legend>
          <div className="mt-1 flex flex-wrap gap-x-4 gap-y-1">
            {receivers.map((r) => (
              <label key={r} className="flex items-center gap-2"><input type="checkbox" className="checkbox checkbox-sm" checked={f.to.includes(r)} onChange={() => set({ to: flip(f.to, r) })} /> {r}</label>
            ))}
          </div>
        </fieldset>
        <div>
          <p className="font-semibold">In the rules file</p>
          <pre className="shell mt-1" tabIndex={0} aria-label="The rule as YAML">{ruleYaml(f)}</pre>
          {wrong && <p className="soft mt-1">{wrong}</p>}
        </div>
      </Form>
    </Dialog>
  )
}
