import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import type { MouseEvent } from 'react'
import * as asking from '../api/search.ts'
import type { Facet, FacetValue } from '../api/search.ts'
import { count, counted } from '../core/format.ts'
import { absent, asks, holding, toggled, withTerm } from '../core/search.ts'
import { useKeys } from '../shared/keys.ts'
import { Dialog, Failed, Loading } from '../shared/parts.tsx'
import { useLater, useTurn } from './turns.ts'
import type { Search } from './use-search.ts'

/** Opens and closes the panel of facets. */
export function FacetsButton({ s }: { s: Search }) {
  const flip = () => s.set({ facets: s.facets ? '' : 'open' })
  useKeys('search', { facets: flip })
  return (
    <button className={`btn btn-sm font-normal ${s.facets ? 'btn-primary' : 'btn-outline'}`} aria-expanded={s.facets === 'open'} onClick={flip}>
      Facets <kbd className={`kbd kbd-xs ${s.facets ? 'text-base-content' : ''}`} aria-hidden="true">v</kbd>
    </button>
  )
}

/** The values of the attributes that say most, each with its share of the events that fit. A click narrows to it. */
export function FacetsPanel({ s }: { s: Search }) {
  const [text, setText] = useState('')
  const [all, setAll] = useState<string>()
  const later = useLater(s.scope)
  const got = useQuery({ ...asking.facets(later ?? s.scope), enabled: useTurn('facets') && s.facets === 'open' && later !== undefined })
  if (!s.facets) return null
  const wanted = text.trim().toLowerCase()
  const shown = got.data?.facets.map((f) => ({ ...f, values: f.values.filter((v) => !wanted || v.value.toLowerCase().includes(wanted) || f.name.includes(wanted)) })).filter((f) => f.values.length > 0)
  return (
    <aside aria-label="Facets" className="w-72 shrink-0 border-y border-r border-base-300 bg-base-100 px-3 py-2 max-md:w-full max-md:border-r-0">
      <h2 className="sr-only">Facets</h2>
      <input type="search" className="input input-sm w-full" placeholder="Search in these values" aria-label="Search in these values" value={text} onChange={(e) => setText(e.target.value)} />
      {got.error && !got.data && <Failed error={got.error} />}
      {!got.data && !got.error && <Loading />}
      {got.data && <p className="soft mt-2">{counted(got.data.events, 'event')} of {counted(got.data.users, 'user')}. Beside each value: its share of the events, and its users. A click narrows to it, with Alt leaves it out.</p>}
      {got.data && got.data.facets.length === 0 && <p className="mt-2">No attribute yet. Events bring them: whatever an application adds to an event can be searched here.</p>}
      {shown?.map((f) => <Values key={f.name} s={s} f={f} events={got.data!.events} more={() => setAll(f.name)} />)}
      {shown?.length === 0 && wanted && <p className="mt-2">None of these values has “{text}” in it. “All values” of an attribute searches all it has.</p>}
      {all !== undefined && <AllValues s={s} name={all} close={() => setAll(undefined)} />}
    </aside>
  )
}

function Values({ s, f, events, more }: { s: Search; f: Facet; events: number; more?: () => void }) {
  const rest = f.others > 0 || f.values.length >= 6
  return (
    <section className="mt-3" aria-label={f.name}>
      <h3 className="flex items-baseline gap-2 font-semibold"><span className="min-w-0 truncate" title={f.name}>{f.name}</span>{more && rest && <button className="link soft ml-auto shrink-0 text-[.9rem] font-normal" onClick={more}>All values</button>}</h3>
      <ul>
        {f.values.map((v) => <Value key={v.value} s={s} name={f.name} v={v} events={events} />)}
        {f.absent > 0 && (
          <li className="flex items-baseline gap-2 px-1">
            <button className="link-hover soft cursor-pointer" onClick={() => s.set({ search: withTerm(s.search, absent(f.name)) })}>no value</button>
            <span className="soft ml-auto">{share(f.absent, events)}</span>
          </li>
        )}
      </ul>
    </section>
  )
}

function Value({ s, name, v, events }: { s: Search; name: string; v: FacetValue; events: number }) {
  const on = asks(s.search, name, v.value, false)
  const toggle = (negated: boolean) => s.set({ search: toggled(s.search, name, v.value, negated) })
  const width = `${Math.max(1, (100 * v.events) / Math.max(1, events))}%`
  return (
    <li className="group relative flex items-baseline">
      <svg className="absolute inset-0 size-full" preserveAspectRatio="none" aria-hidden="true"><rect width={width} height="100%" rx="2" fill="color-mix(in oklab, var(--color-primary) 14%, transparent)" /></svg>
      <button className={`relative flex min-w-0 grow cursor-pointer items-baseline gap-2 px-1 py-px text-left hover:underline ${on ? 'font-semibold text-primary' : ''}`} aria-pressed={on} title={`${v.value}: ${counted(v.events, 'event')}, ${counted(v.users, 'user')}`} onClick={(e: MouseEvent) => toggle(e.altKey)}>
        <span className="min-w-0 truncate" dir="auto">{v.value || 'empty'}</span>
        <span className="ml-auto shrink-0">{share(v.events, events)}</span>
        <span className="soft w-14 shrink-0 text-right text-[.9rem]">{count(v.users)}</span>
      </button>
      <button className="relative w-5 shrink-0 cursor-pointer text-center opacity-0 group-hover:opacity-100 focus-visible:opacity-100" aria-label={`Leave ${name} ${v.value} out`} title="leave it out" onClick={() => toggle(true)}>−</button>
    </li>
  )
}

/** All values of one attribute, with a search among them that the service answers. */
function AllValues({ s, name, close }: { s: Search; name: string; close: () => void }) {
  const [text, setText] = useState('')
  const wanted = text.trim() ? withTerm(s.search, holding(name, text.trim())) : s.search
  const got = useQuery(asking.facets({ ...s.scope, search: wanted }, [name], 100))
  const f = got.data?.facets[0]
  return (
    <Dialog title={name} close={close}>
      <input type="search" className="input input-sm w-full" autoFocus placeholder="Search in all values" aria-label={`Search in all values of ${name}`} value={text} onChange={(e) => setText(e.target.value)} />
      <div className="mt-2 max-h-96 overflow-y-auto" tabIndex={0} role="group" aria-label={`Values of ${name}`}>
        {got.error && <Failed error={got.error} />}
        {f && got.data && <Values s={{ ...s, set: (c) => { s.set(c); close() } }} f={f} events={got.data.events} />}
        {f && f.values.length === 0 && <p className="soft">No value has that in it.</p>}
        {f && f.others > 0 && <p className="soft mt-2">{counted(f.others, 'event')} with other values: search for them above.</p>}
      </div>
      <div className="mt-4 text-right"><button className="btn btn-primary btn-sm" onClick={close}>Close</button></div>
    </Dialog>
  )
}

function share(n: number, of: number): string {
  const p = (100 * n) / Math.max(1, of)
  return n > 0 && p < 1 ? '<1 %' : n < of && p > 99 ? '>99 %' : `${Math.round(p)} %`
}
