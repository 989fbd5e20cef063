import { useQuery } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import type { KeyboardEvent } from 'react'
import { useNavigate } from 'react-router'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import * as asking from '../api/search.ts'
import { issueAt, pageAt, roundAt, userAt } from '../core/address.ts'
import { allNames, nameOf as userName } from '../core/people.ts'
import { fitting, issueNamed } from '../core/palette.ts'
import type { Found } from '../core/palette.ts'
import { ofWords, term } from '../core/search.ts'
import { Dialog } from '../shared/parts.tsx'
import { nameOf, ofProject, ofWork } from './pages.ts'

/** Ctrl K, or ⌘ K, also while somebody types. */
export function useFindKey(open: () => void): void {
  const now = useRef(open)
  now.current = open
  useEffect(() => {
    const down = (e: globalThis.KeyboardEvent) => {
      if (e.key.toLowerCase() !== 'k' || !(e.ctrlKey || e.metaKey) || e.altKey || e.shiftKey || document.querySelector('dialog[open]')) return
      e.preventDefault()
      now.current()
    }
    addEventListener('keydown', down)
    return () => removeEventListener('keydown', down)
  }, [])
}

const kinds: Record<Found['kind'], string> = { issue: 'Issue', user: 'User', search: 'Search', release: 'Release', page: 'Page', action: 'Action' }
const everywhere = ['people', 'owners', 'notices', 'notice-settings', 'destinations', 'tokens', 'sign-ins', 'service']

/** Finds pages, issues, users, releases, searches and actions by what is typed. */
export function Palette({ project, close, help }: { project: string; close: () => void; help: () => void }) {
  const [text, setText] = useState('')
  const [at, setAt] = useState(0)
  const go = useNavigate()
  const list = useFound(project, text)
  const take = (f: Found | undefined) => {
    if (!f) return
    close()
    if (f.to) void go(f.to)
    else if (f.does === 'help') help()
    else if (f.does === 'theme') document.querySelector<HTMLElement>('[data-theme-switch]')?.click()
    else if (f.does === 'sign-out') void api.signOut().then(() => location.reload())
  }
  const press = (e: KeyboardEvent) => {
    const to = { ArrowDown: at + 1, ArrowUp: at - 1 }[e.key]
    if (to !== undefined) setAt((to + list.length) % Math.max(1, list.length))
    else if (e.key === 'Enter') take(list[at])
    else return
    e.preventDefault()
  }
  return (
    <Dialog title="Find" close={close} wide>
      <input
        className="input w-full" autoFocus placeholder="A page, an issue, a user, a release, a saved search, an action" aria-label="Find" autoComplete="off" spellCheck={false} value={text}
        role="combobox" aria-expanded="true" aria-controls="found" aria-activedescendant={list[at] ? `found-${at}` : undefined}
        onChange={(e) => { setText(e.target.value); setAt(0) }} onKeyDown={press}
      />
      <ul id="found" role="listbox" aria-label="Found" className="mt-2 max-h-96 min-h-40 overflow-y-auto">
        {list.map((f, i) => (
          <li key={`${f.kind} ${f.to ?? f.does}`} id={`found-${i}`} role="option" aria-selected={i === at} className={`flex cursor-pointer items-baseline gap-3 rounded-sm px-2 py-1 ${i === at ? 'bg-primary text-primary-content' : 'hover:bg-base-200'}`} onMouseMove={() => setAt(i)} onClick={() => take(f)}>
            <span className={`w-16 shrink-0 text-[.9rem] ${i === at ? '' : 'soft'}`}>{kinds[f.kind]}</span>
            <span className="min-w-0 grow truncate" dir="auto">{f.name}</span>
            {f.about && <span className={`max-w-[50%] shrink-0 truncate text-[.9rem] ${i === at ? '' : 'soft'}`}>{f.about}</span>}
          </li>
        ))}
      </ul>
      {list.length === 0 && <p className="soft">Nothing is called that.</p>}
    </Dialog>
  )
}

/** A text that has stood still for a moment. */
function useStill(text: string): string {
  const [still, setStill] = useState(text)
  useEffect(() => {
    const t = setTimeout(() => setStill(text), 200)
    return () => clearTimeout(t)
  }, [text])
  return still
}

function useFound(project: string, text: string): Found[] {
  const still = useStill(text.trim())
  const asked = project !== '' && still.length > 1
  const projects = useQuery(ask.projects())
  const releases = useQuery({ ...ask.releases(project), enabled: project !== '' })
  const searches = useQuery({ ...asking.searches(project, false), enabled: project !== '', retry: false })
  const issues = useQuery({ ...ask.mergeTargets(project, still), enabled: asked, retry: false })
  const user = useQuery({ ...asking.user(project, still), enabled: asked && still.length > 2, placeholderData: undefined })
  const typed = text.trim()
  const named = issueNamed(typed, project)
  const pages: Found[] = [
    ...(project ? [...ofWork, ...ofProject].map((p): Found => ({ kind: 'page', name: nameOf(p), about: project, to: pageAt(project, p) })) : []),
    ...(projects.data?.projects ?? []).filter((p) => p.name !== project).map((p): Found => ({ kind: 'page', name: p.name, about: 'project', to: pageAt(p.name, 'issues') })),
    { kind: 'page', name: 'Round in all projects', to: roundAt() },
    { kind: 'page', name: 'Projects', to: '/' },
    ...everywhere.map((p): Found => ({ kind: 'page', name: nameOf(p), to: `/${p}` })),
  ]
  const actions: Found[] = [
    { kind: 'action', name: 'Light or dark', does: 'theme' },
    { kind: 'action', name: 'Keys', does: 'help' },
    { kind: 'action', name: 'Sign out', does: 'sign-out' },
  ]
  const found: Found[] = []
  if (named) found.push({ kind: 'issue', name: named, about: 'by its number', to: issueAt(named) })
  if (asked && still === typed) {
    for (const i of (issues.data?.issues ?? []).slice(0, 5)) found.push({ kind: 'issue', name: i.headline, about: i.id, to: issueAt(i.id) })
    const people = user.data?.several ?? (user.data?.identities ? [{ identities: user.data.identities, events: user.data.events }] : [])
    for (const u of people.slice(0, 4)) found.push({ kind: 'user', name: allNames(u), about: `${u.events} events`, to: userAt(project, userName(u) || still) })
  }
  found.push(...fitting((searches.data?.searches ?? []).map((x): Found => ({ kind: 'search', name: x.name, about: x.search, to: pageAt(project, 'issues', { search: term('saved', [x.name]) }) })), typed, 5))
  if (typed) found.push(...fitting((releases.data?.releases ?? []).map((r): Found => ({ kind: 'release', name: r.version, to: pageAt(project, 'releases', { release: r.version }) })), typed, 4))
  found.push(...fitting([...pages, ...actions], typed, typed ? 8 : 12))
  if (typed && project) found.push({ kind: 'action', name: `Search issues for ${typed}`, to: pageAt(project, 'issues', { search: ofWords(typed) }) })
  return found
}
