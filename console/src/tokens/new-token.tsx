import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { atLeast, roleIn } from '../core/roles.ts'
import { asked, commandOf, kinds, kindWords, missing, permissions } from '../core/tokens.ts'
import type { Draft } from '../core/tokens.ts'
import { Field, Form } from '../shared/page.tsx'
import { Copy, Dialog } from '../shared/parts.tsx'

const lives = [[7, '7 days'], [30, '30 days'], [90, '90 days'], [365, 'a year'], [0, 'for ever']] as const

/** Makes a token. */
export function NewToken({ close }: { close: () => void }) {
  const client = useQueryClient()
  const me = useQuery(ask.me())
  const projects = useQuery(ask.projects())
  const [d, setDraft] = useState<Draft>({ kind: 'person', label: '', projects: [], chosen: [], days: 90 })
  const set = (some: Partial<Draft>) => setDraft({ ...d, ...some })
  const make = useMutation({ mutationFn: () => api.createToken(asked(d)), onSuccess: () => void client.invalidateQueries({ queryKey: ask.tokens().queryKey }) })
  if (make.data) return <MadeToken token={make.data} close={close} />
  const all = me.data !== undefined && (me.data.everywhere === 'maintainer' || (me.data.operator && d.kind === 'build'))
  const mine = projects.data?.projects.filter((p) => d.kind === 'person' || (d.kind === 'build' && me.data?.operator) || (me.data && atLeast(roleIn(me.data, p.name), 'maintainer'))) ?? []
  const lacks = missing(d, all)
  const toggle = (list: string[], v: string, on: boolean) => (on ? [...list, v] : list.filter((x) => x !== v))
  return (
    <Dialog title="New token" close={close} wide>
      <Form button="Make it" submit={() => make.mutate()} busy={make.isPending} off={lacks !== ''} error={make.error?.message} extra={<><button type="button" className="btn btn-ghost btn-sm" onClick={close}>Cancel</button><Copy text={commandOf(d)}>Copy as command</Copy></>}>
        <Field name="Label" hint="What uses it, such as: quayside build">
          <input className="input input-sm w-full" value={d.label} onChange={(e) => set({ label: e.target.value })} maxLength={100} autoFocus />
        </Field>
        <fieldset>
          <legend className="font-semibold">For</legend>
          {kinds.map((k) => (
            <label key={k} className="flex items-baseline gap-2 py-0.5">
              <input type="radio" name="kind" className="radio radio-sm self-center" checked={d.kind === k} onChange={() => set({ kind: k, projects: [] })} />
              <span><span className="font-semibold">{k}</span> <span className="soft">{kindWords[k]}</span></span>
            </label>
          ))}
        </fieldset>
        {d.kind === 'service' && (
          <fieldset>
            <legend className="font-semibold">May</legend>
            <div className="columns-2">
              {permissions.map((p) => <label key={p} className="mono flex items-center gap-2 py-0.5"><input type="checkbox" className="checkbox checkbox-sm" checked={d.chosen.includes(p)} onChange={(e) => set({ chosen: toggle(d.chosen, p, e.target.checked) })} /> {p}</label>)}
            </div>
          </fieldset>
        )}
        <fieldset>
          <legend className="font-semibold">Good for</legend>
          <p className="soft">{d.kind === 'person' || all ? 'None chosen: all.' : mine.length > 0 ? 'Projects that you maintain.' : 'You maintain no project, so you can make tokens of the kind person alone.'}</p>
          <div className="max-h-40 overflow-y-auto" tabIndex={0} role="group" aria-label="Projects">
            {mine.map((p) => <label key={p.name} className="flex items-center gap-2 py-0.5"><input type="checkbox" className="checkbox checkbox-sm" checked={d.projects.includes(p.name)} onChange={(e) => set({ projects: toggle(d.projects, p.name, e.target.checked) })} /> {p.name}</label>)}
          </div>
        </fieldset>
        <Field name="Lives">
          <select className="select select-sm" value={d.days} onChange={(e) => set({ days: Number(e.target.value) })}>{lives.map(([n, words]) => <option key={n} value={n}>{words}</option>)}</select>
        </Field>
      </Form>
    </Dialog>
  )
}

/** A token's text, shown this once. */
export function MadeToken({ token, close }: { token: { id: number; label: string; token: string }; close: () => void }) {
  return (
    <Dialog title={`Token ${token.id}, ${token.label}`} close={close} wide>
      <p>This is the secret, shown only once. It gives all permissions of the token: store it like a password.</p>
      <pre className="shell mt-3 break-all whitespace-pre-wrap" tabIndex={0} aria-label="The token">{token.token}</pre>
      <div className="mt-3 flex justify-end gap-2">
        <Copy text={token.token}>Copy the token</Copy>
        <button className="btn btn-primary btn-sm" onClick={close}>Done</button>
      </div>
    </Dialog>
  )
}
