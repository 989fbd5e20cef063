import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import * as asking from '../api/search.ts'
import { pageAt } from '../core/address.ts'
import { term } from '../core/search.ts'
import { ChevronDown } from '../shared/icons.tsx'
import { Field } from '../shared/page.tsx'
import { Buttons, Dialog } from '../shared/parts.tsx'
import { useSay } from '../shared/say.tsx'
import type { Search } from './use-search.ts'

/** The searches with a name: open one, save this one, delete one. */
export function Saved({ s }: { s: Search }) {
  const { project } = s.scope
  const [open, setOpen] = useState(false)
  const [saving, setSaving] = useState(false)
  const list = useQuery({ ...asking.searches(project, true), enabled: open })
  const client = useQueryClient()
  const say = useSay()
  const remove = useMutation({
    mutationFn: (x: asking.SavedSearch) => asking.deleteSearch(project, x.name, x.shared),
    onSuccess: (_, x) => {
      say(`The search “${x.name}” is deleted`)
      void client.invalidateQueries({ queryKey: asking.searchesOf(project) })
    },
    onError: (e) => say(e.message, true),
  })
  return (
    <>
      <details className="dropdown" onToggle={(e) => setOpen(e.currentTarget.open)}>
        <summary className="btn btn-ghost btn-sm font-normal">Saved <ChevronDown className="size-3.5" /></summary>
        <div className="dropdown-content z-20 w-80 max-w-[90vw] panel p-2">
          {list.data?.searches.length === 0 && <p className="soft px-1">No search is saved yet. Save a search that you use often.</p>}
          {list.error && <p role="alert" className="hurts px-1">{list.error.message}</p>}
          <ul className="max-h-72 overflow-y-auto">
            {list.data?.searches.map((x) => (
              <li key={`${x.shared} ${x.name}`} className="group flex items-baseline gap-2 rounded-sm px-1 hover:bg-base-200">
                <button className="link-hover min-w-0 grow cursor-pointer truncate py-0.5 text-left" title={x.search} onClick={() => s.set({ search: term('saved', [x.name]) })}>{x.name}</button>
                <span className="soft shrink-0 text-[.9rem]">{[x.shared ? 'shared' : 'yours', x.default && 'default'].filter(Boolean).join(', ')}</span>
                {x.issues !== undefined && <span className="w-12 shrink-0 text-right" title="open issues that fit now">{x.issues.toLocaleString('en-GB')}{x.more && '+'}</span>}
                <button className="cursor-pointer px-1 hover:text-accent" aria-label={`Delete the search ${x.name}`} onClick={() => remove.mutate(x)}>×</button>
              </li>
            ))}
          </ul>
          <button className="btn btn-outline btn-sm mt-2 font-normal" disabled={!s.search} onClick={() => setSaving(true)}>Save this search …</button>
          {s.search && <Link className="btn btn-outline btn-sm mt-2 ml-2 font-normal" to={pageAt(project, 'alerts', { ask: 'new', search: s.search })}>Alert me about this …</Link>}
          {!s.search && <p className="soft mt-1 px-1">Search for something first.</p>}
        </div>
      </details>
      {saving && <Save s={s} close={() => setSaving(false)} />}
    </>
  )
}

function Save({ s, close }: { s: Search; close: () => void }) {
  const [name, setName] = useState('')
  const [shared, setShared] = useState(false)
  const [first, setFirst] = useState(false)
  const client = useQueryClient()
  const say = useSay()
  const save = useMutation({
    mutationFn: () => asking.saveSearch(s.scope.project, name.trim(), { search: s.search, shared, default: first }),
    onSuccess: (x) => {
      say([`“${x.name}” is saved`, ...(x.warnings ?? [])].join('. '))
      void client.invalidateQueries({ queryKey: asking.searchesOf(s.scope.project) })
      close()
    },
  })
  return (
    <Dialog title="Save this search" close={close}>
      <form onSubmit={(e) => { e.preventDefault(); if (name.trim()) save.mutate() }} className="space-y-3">
        <p className="mono break-words" dir="auto">{s.search}</p>
        <Field name="Name"><input className="input input-sm w-full" autoFocus maxLength={60} value={name} onChange={(e) => setName(e.target.value)} /></Field>
        <label className="flex items-center gap-2"><input type="checkbox" className="checkbox checkbox-sm" checked={shared} onChange={(e) => setShared(e.target.checked)} /> shared with everybody in the project</label>
        <label className="flex items-center gap-2"><input type="checkbox" className="checkbox checkbox-sm" checked={first} onChange={(e) => setFirst(e.target.checked)} /> the list of issues begins with it</label>
        {save.error && <p role="alert" className="hurts">{save.error.message}</p>}
        <Buttons close={close} words="Save" off={!name.trim() || save.isPending} />
      </form>
    </Dialog>
  )
}
