import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import type { ReactNode } from 'react'
import type { Act, Issue } from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { counted, nextRelease } from '../core/format.ts'
import { fixOf, parkOf, parkWords } from '../core/settle.ts'
import type { FixKind, ParkForm } from '../core/settle.ts'
import { Buttons, Dialog } from '../shared/parts.tsx'

/** Why somebody decides, for the history. */
export function Why({ why, set }: { why: string; set: (why: string) => void }) {
  return (
    <label className="mt-3 block">
      <span className="soft mb-1 block">Why, for the history (may stay empty)</span>
      <input className="input input-sm w-full" value={why} maxLength={500} onChange={(e) => set(e.target.value)} />
    </label>
  )
}

function Choice({ on, choose, children }: { on: boolean; choose: () => void; children: ReactNode }) {
  return (
    <label className="flex items-center gap-2 py-1">
      <input type="radio" name="kind" className="radio radio-sm" checked={on} onChange={choose} />
      {children}
    </label>
  )
}

/** In what an issue is fixed. */
export function FixDialog({ issue, close, done }: { issue: Issue; close: () => void; done: (body: Act) => void }) {
  const proposed = issue.fixed_in || nextRelease(issue.last_release)
  const [kind, setKind] = useState<FixKind>(proposed ? 'release' : 'next') // of dates and hashes nobody can say what comes next
  const [release, setRelease] = useState(proposed)
  const [commit, setCommit] = useState('')
  const [why, setWhy] = useState('')
  const body = fixOf(kind, release, commit, why)
  return (
    <Dialog title={`${issue.id} is fixed`} close={close}>
      <form
        onSubmit={(e) => {
          e.preventDefault()
          if (body) done(body)
        }}
      >
        <fieldset>
          <legend className="sr-only">Where it is fixed</legend>
          <Choice on={kind === 'release'} choose={() => setKind('release')}>
            <span>Fixed in</span>
            <input className="input input-sm mono w-40" value={release} onFocus={() => setKind('release')} onChange={(e) => setRelease(e.target.value)} autoFocus={proposed !== ''} aria-label="Release that contains the fix" />
          </Choice>
          <Choice on={kind === 'next'} choose={() => setKind('next')}>In the next release</Choice>
          <Choice on={kind === 'commit'} choose={() => setKind('commit')}>
            <span>By commit</span>
            <input className="input input-sm mono w-56" value={commit} onFocus={() => setKind('commit')} onChange={(e) => setCommit(e.target.value)} aria-label="Hash of the commit" />
          </Choice>
          <Choice on={kind === 'now'} choose={() => setKind('now')}>As of now, whatever the release</Choice>
        </fieldset>
        <p className="soft mt-2">{kind === 'now' ? 'An event thrown from now on makes it regressed.' : 'An event from a release that contains the fix makes it regressed. An event from an older release does not.'}</p>
        <Why why={why} set={setWhy} />
        <Buttons close={close} off={!body} words={kind === 'release' ? `Mark fixed in ${release || '…'}` : 'Mark fixed'} />
      </form>
    </Dialog>
  )
}

/** What wakes a parked issue. */
export function ParkDialog({ issue, close, done }: { issue: Issue; close: () => void; done: (body: Act) => void }) {
  const [form, setForm] = useState<ParkForm>({ until: '', events: '', users: '', doubled: false, nextRelease: false, newEnvironment: false })
  const [why, setWhy] = useState('')
  const set = (change: Partial<ParkForm>) => setForm((f) => ({ ...f, ...change }))
  const park = parkOf(form)
  const tick = (name: 'doubled' | 'nextRelease' | 'newEnvironment', words: string) => (
    <label className="flex items-center gap-2 py-1">
      <input type="checkbox" className="checkbox checkbox-sm" checked={form[name]} onChange={(e) => set({ [name]: e.target.checked })} /> {words}
    </label>
  )
  return (
    <Dialog title={`Park ${issue.id} until …`} close={close}>
      <form
        onSubmit={(e) => {
          e.preventDefault()
          if (park) done({ park, ...(why ? { why } : {}) })
        }}
      >
        <p className="soft mb-2">The first condition that is met wakes it as new, with the reason. Its events still count.</p>
        <div className="grid grid-cols-[auto_1fr] items-center gap-x-3 gap-y-1.5">
          <label htmlFor="park-users">more users</label>
          <input id="park-users" type="number" min="1" className="input input-sm w-28" value={form.users} onChange={(e) => set({ users: e.target.value })} autoFocus />
          <label htmlFor="park-events">more events</label>
          <input id="park-events" type="number" min="1" className="input input-sm w-28" value={form.events} onChange={(e) => set({ events: e.target.value })} />
          <label htmlFor="park-until">the day</label>
          <input id="park-until" type="date" className="input input-sm w-44" value={form.until} onChange={(e) => set({ until: e.target.value })} />
        </div>
        {tick('nextRelease', 'it is seen in the next release')}
        {tick('newEnvironment', 'it is seen in another environment')}
        {tick('doubled', 'a day has twice the usual events')}
        <Why why={why} set={setWhy} />
        <Buttons close={close} off={!park} words={park ? `Park until ${parkWords(form)}` : 'Park until …'} />
      </form>
    </Dialog>
  )
}

/** What goes with an issue, and whether it should. */
export function DeleteDialog({ issue, close, done }: { issue: Issue; close: () => void; done: (events: number) => void }) {
  const got = useQuery(ask.whatGoes(issue.id))
  return (
    <Dialog title={`Delete ${issue.id}?`} close={close}>
      <form
        onSubmit={(e) => {
          e.preventDefault()
          if (got.data) done(got.data.events)
        }}
      >
        {got.error && <p role="alert" className="text-accent">{got.error.message}</p>}
        {got.data && (
          <p>
            {counted(got.data.events, 'event')} of {counted(got.data.users, 'user')} go with it{got.data.feedback > 0 && `, and ${got.data.feedback} feedback messages`}
            {got.data.merged_from > 0 && `; ${counted(got.data.merged_from, 'number')} lead to it`}. This cannot be undone.
          </p>
        )}
        <p className="soft mt-2">Dismissing it, or counting it only, keeps its stored events.</p>
        <Buttons close={close} off={!got.data} words={got.data ? `Delete 1 issue with ${counted(got.data.events, 'event')}` : 'Delete'} />
      </form>
    </Dialog>
  )
}
