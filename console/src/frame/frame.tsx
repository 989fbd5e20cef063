import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { pageAt, read, roundAt } from '../core/address.ts'
import type { Tab } from '../core/address.ts'
import { Link, NavLink, Outlet, ScrollRestoration, useLocation, useNavigate, useParams } from 'react-router'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { help } from '../core/keys.ts'
import { NotCurrent } from './current.tsx'
import { keysOff, setKeysOff, useKeys } from '../shared/keys.ts'
import { useLive } from '../shared/live.ts'
import { NoticesLink } from './notices-link.tsx'
import { Dialog, Failed, Loading, Mark } from '../shared/parts.tsx'
import { SayProvider } from '../shared/say.tsx'
import { useTitle } from '../shared/title.ts'
import { UnreadNotice } from './unread.tsx'

/** The bar on top of every page. */
export function Frame() {
  const { project = '' } = useParams()
  const who = useQuery({ ...ask.me(), retry: false })
  const [helping, setHelp] = useState(false)
  const search = useRef<HTMLInputElement>(null)
  useKeys('everywhere', { help: () => setHelp(true), search: () => search.current?.focus() })
  useMenusThatClose()
  if (who.error instanceof api.ApiError && who.error.status === 401) return <SignedOut />
  if (who.error && !who.data) return <Failed error={who.error} again={() => void who.refetch()} />
  if (!who.data) return <Loading />
  return (
    <SayProvider>
      <a href="#main" className="sr-only focus:not-sr-only focus:absolute focus:z-30 focus:bg-base-100 focus:p-2">
        Skip to the content
      </a>
      <header className="border-b border-base-300 bg-base-100">
        <div className="flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-1.5 max-md:gap-x-1">
          <Link to="/" className="flex items-center gap-2 font-semibold">
            <Mark /> <span className="max-md:sr-only">Firethorn</span>
          </Link>
          <ProjectChoice project={project} />
          <span className="grow" />
          {project && <Search project={project} field={search} />}
          <NoticesLink />
          <ThemeSwitch />
          <details className="dropdown dropdown-end">
            <summary className="btn btn-ghost btn-sm font-normal max-md:px-2">{who.data.name}</summary>
            <ul className="menu dropdown-content z-20 w-52 rounded border border-base-300 bg-base-100 p-1">
              <li>
                <button onClick={() => setHelp(true)}>
                  Keys <kbd className="kbd kbd-xs">?</kbd>
                </button>
              </li>
              <li>
                <Link to={roundAt()}>Round in all projects</Link>
              </li>
              <li>
                <Link to="/owners">Who carries what</Link>
              </li>
              <li>
                <SignOut />
              </li>
            </ul>
          </details>
        </div>
        {project && (
          <nav aria-label="Pages" className="flex flex-wrap gap-x-4 px-4">
            {pages.map(([to, words]) => (
              <NavLink key={to} to={pageAt(project, to)} className={({ isActive }) => `border-b-2 pb-1 ${isActive ? 'border-primary font-semibold' : 'soft border-transparent hover:text-base-content'}`}>
                {words}
              </NavLink>
            ))}
          </nav>
        )}
      </header>
      <NotCurrent />
      <ScrollRestoration getKey={(at) => (at.pathname.endsWith('/issues') ? at.pathname + at.search : at.key)} />
      <Main project={project} />
      {helping && <Keys close={() => setHelp(false)} />}
    </SayProvider>
  )
}

const pages: [Tab, string][] = [['round', 'Round'], ['issues', 'Issues'], ['releases', 'Releases'], ['received', 'Received'], ['symbols', 'Symbols'], ['rules', 'Rules'], ['grouping', 'Grouping'], ['impact', 'Impact'], ['set-up', 'Set-up']]

/** The page itself. It takes the focus when another page opens, so that keys and screen readers begin there. */
function Main({ project }: { project: string }) {
  const { pathname } = useLocation()
  const main = useRef<HTMLElement>(null)
  useLive() // only who is signed in hears of changes
  const before = useRef(pathname)
  const page = pathname.split('/')[3] ?? pathname.split('/')[1] ?? ''
  useTitle(...(ownTitle.has(page) ? [] : [pages.find(([to]) => to === page)?.[1] ?? others[page] ?? 'Projects', project]))
  useEffect(() => {
    if (before.current !== pathname) main.current?.focus({ preventScroll: true })
    before.current = pathname
  }, [pathname])
  return (
    <main id="main" ref={main} tabIndex={-1} className="outline-none">
      {project && <UnreadNotice project={project} />}
      <Outlet />
    </main>
  )
}

const others: Record<string, string> = { owners: 'Who carries what', notices: 'Notices' }
const ownTitle = new Set(['issues', 'round', 'impact', 't'])

/** Closes open menus when another page opens, something else is clicked, or Esc is pressed. */
function useMenusThatClose(): void {
  const { pathname, search } = useLocation()
  const close = (but?: EventTarget | null) => {
    for (const menu of document.querySelectorAll<HTMLDetailsElement>('details.dropdown[open]')) if (!(but instanceof Node && menu.contains(but))) menu.open = false
  }
  useEffect(() => close(), [pathname, search])
  useEffect(() => {
    const clicked = (e: MouseEvent) => close(e.target)
    const pressed = (e: KeyboardEvent) => {
      if (e.key !== 'Escape' || !document.querySelector('details.dropdown[open]')) return
      e.preventDefault() // the menu alone
      close()
    }
    document.addEventListener('click', clicked)
    document.addEventListener('keydown', pressed, true)
    return () => {
      document.removeEventListener('click', clicked)
      document.removeEventListener('keydown', pressed, true)
    }
  }, [])
}

function ProjectChoice({ project }: { project: string }) {
  const list = useQuery(ask.projects())
  const go = useNavigate()
  const here = useLocation().pathname.split('/')[3]
  if (!list.data?.projects.length) return null
  const page = pages.find(([to]) => to === here)?.[0] ?? 'issues' // the same page of another project
  return (
    <select className="select select-sm w-auto max-md:max-w-32" aria-label="Project" value={project} onChange={(e) => void go(pageAt(e.target.value, page))}>
      {!project && <option value="">Choose a project</option>}
      {list.data.projects.map((p) => (
        <option key={p.name}>{p.name}</option>
      ))}
    </select>
  )
}

/** How long the search waits for the next letter (milliseconds). */
const pause = 300

function Search({ project, field }: { project: string; field: React.RefObject<HTMLInputElement | null> }) {
  const go = useNavigate()
  const { search, pathname } = useLocation()
  const listed = pathname.endsWith('/issues')
  const list = read('issues', new URLSearchParams(listed ? search : ''))
  const now = list.text
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined)
  const find = (replace: boolean) => {
    clearTimeout(timer.current)
    const text = field.current?.value.trim() ?? ''
    if (text === now && listed) return
    void go(pageAt(project, 'issues', { ...list, text }), { replace })
  }
  useEffect(() => () => clearTimeout(timer.current), [])
  useEffect(() => { // another address, or the search was cleared; what is being typed stays
    if (field.current && document.activeElement !== field.current) field.current.value = now
  }, [now, field])
  return (
    <form
      role="search"
      className="max-md:order-last max-md:basis-full"
      onSubmit={(e) => {
        e.preventDefault()
        field.current?.blur()
        find(false)
      }}
    >
      <label className="input input-sm w-72 max-md:w-full">
        <input
          ref={field} type="search" defaultValue={now} placeholder="Headline, place or message" aria-label="Search issues"
          onChange={() => {
            clearTimeout(timer.current)
            if (listed) timer.current = setTimeout(() => find(true), pause) // elsewhere Enter goes to the list
          }}
        />
        <kbd className="kbd kbd-xs" aria-hidden="true">/</kbd>
      </label>
    </form>
  )
}

function ThemeSwitch() {
  const [theme, setTheme] = useState(document.documentElement.dataset.theme)
  const other = theme === 'hedge' ? 'blossom' : 'hedge'
  return (
    <button
      className="btn btn-ghost btn-sm font-normal max-md:px-2"
      onClick={() => {
        document.documentElement.dataset.theme = other
        localStorage.setItem('firethorn.theme', other)
        setTheme(other)
      }}
    >
      {theme === 'hedge' ? 'Light' : 'Dark'}
    </button>
  )
}

function SignOut() {
  const client = useQueryClient()
  return <button onClick={() => void api.signOut().then(() => client.resetQueries())}>Sign out</button>
}

function SignedOut() {
  return (
    <main className="mx-auto max-w-xl px-6 py-20">
      <p className="flex items-center gap-2 text-lg font-semibold">
        <Mark /> Firethorn
      </p>
      <h1 className="mt-6 text-2xl font-semibold">You are not signed in</h1>
      <p className="mt-3">Open a sign-in link. Each works once. Whoever runs the service makes one with:</p>
      <pre className="mt-3 rounded border border-base-300 bg-base-100 p-3">firethorn person link "YOUR NAME"</pre>
    </main>
  )
}

function Keys({ close }: { close: () => void }) {
  const [quiet, setQuiet] = useState(keysOff())
  return (
    <Dialog title="Keys" close={close} wide>
      <div className="columns-1 gap-x-8 sm:columns-2">
        {help().map((part) => (
          <section key={part.title} className="mb-3 break-inside-avoid">
            <h3 className="mb-1 font-semibold">{part.title}</h3>
            <dl className="grid grid-cols-[6.5rem_1fr] gap-y-0.5">
              {part.keys.map((k) => (
                <div key={k.words} className="contents">
                  <dt className="flex flex-wrap gap-1">{k.keys.map((name) => <kbd key={name} className="kbd kbd-sm">{name}</kbd>)}</dt>
                  <dd>{k.words}</dd>
                </div>
              ))}
            </dl>
          </section>
        ))}
      </div>
      <label className="mt-4 flex items-center gap-2">
        <input
          type="checkbox"
          className="checkbox checkbox-sm"
          checked={quiet}
          onChange={(e) => {
            setKeysOff(e.target.checked)
            setQuiet(e.target.checked)
          }}
        />
        Switch single-letter keys off
      </label>
      <div className="mt-4 text-right">
        <button className="btn btn-primary btn-sm" onClick={close} autoFocus>
          Close
        </button>
      </div>
    </Dialog>
  )
}
