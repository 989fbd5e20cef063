import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, NavLink, useLocation, useNavigate, useParams } from 'react-router'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { pageAt, read, roundAt, searchedAt } from '../core/address.ts'
import type { Searching, Tab } from '../core/address.ts'
import { ChevronDown, Moon, Sun } from '../shared/icons.tsx'
import { Mark } from '../shared/parts.tsx'
import { useMenusThatClose } from './menus.ts'
import { NoticesLink } from './notices-link.tsx'
import { docsOf, ofProject, ofWork, nameOf } from './pages.ts'
import { SearchField } from '../search/field.tsx'
import { useOperator } from '../shared/rights.ts'

/** The bar on top of every page: where one is, what one looks for, who one is; below it the pages of a project. */
export function Bar({ project, name, search, help }: { project: string; name: string; search: React.RefObject<HTMLInputElement | null>; help: () => void }) {
  useMenusThatClose()
  const operator = useOperator()
  const { pathname } = useLocation()
  return (
    <header className="top border-b border-base-300 bg-base-100">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1 px-(--edge) py-1.5 max-md:gap-x-1">
        <Link to="/" className="flex items-center gap-2 font-semibold">
          <Mark /> <span className="max-md:sr-only">Firethorn</span>
        </Link>
        <ProjectChoice project={project} />
        <span className="grow" />
        {project && <Search project={project} field={search} />}
        <NoticesLink />
        <ThemeSwitch />
        <details className="dropdown dropdown-end">
          <summary className="btn btn-ghost btn-sm max-w-40 font-normal max-md:px-2"><span className="truncate">{name}</span> <ChevronDown className="size-3.5 max-md:hidden" /></summary>
          <ul className="menu dropdown-content z-20 w-56 panel p-1">
            <li><button onClick={help}>Keys <kbd className="kbd kbd-xs">?</kbd></button></li>
            <li><a href={docsOf(pathname)} target="_blank">Documentation</a></li>
            <li><Link to={roundAt()}>Round in all projects</Link></li>
            <li><Link to="/owners">{nameOf('owners')}</Link></li>
            <li className="mt-1 border-t border-base-300 pt-1"><Link to="/people">{nameOf('people')}</Link></li>
            <li><Link to="/destinations">{nameOf('destinations')}</Link></li>
            <li><Link to="/service">{nameOf('service')}</Link></li>
            {operator && <li><Link to="/audit">{nameOf('audit')}</Link></li>}
            <li className="mt-1 border-t border-base-300 pt-1"><Link to="/notice-settings">{nameOf('notice-settings')}</Link></li>
            <li><Link to="/tokens">{nameOf('tokens')}</Link></li>
            <li><Link to="/sign-ins">{nameOf('sign-ins')}</Link></li>
            <li className="mt-1 border-t border-base-300 pt-1"><SignOut /></li>
          </ul>
        </details>
      </div>
      {project && <Pages project={project} />}
    </header>
  )
}

const tab = (active: boolean) => `border-b-2 pb-1 whitespace-nowrap ${active ? 'border-primary font-semibold' : 'soft border-transparent hover:text-base-content'}`

/** The pages of a project: those of daily work at the left, those about the project itself at the right. */
function Pages({ project }: { project: string }) {
  const here = useLocation().pathname.split('/')[3] ?? ''
  const within = ofProject.find((p) => p === here)
  return (
    <nav aria-label="Pages" className="flex flex-wrap items-end gap-x-4 px-(--edge)">
      {ofWork.map((p) => (
        <NavLink key={p} to={pageAt(project, p)} className={({ isActive }) => tab(isActive)}>{nameOf(p)}</NavLink>
      ))}
      <span className="grow" />
      <details className="dropdown dropdown-end">
        <summary className={`flex items-center gap-1 ${tab(within !== undefined)}`}><span>Project{within && <span className="max-md:sr-only">: {nameOf(within)}</span>}</span> <ChevronDown className="size-3.5" /></summary>
        <ul className="menu dropdown-content z-20 w-44 panel p-1">
          {ofProject.map((p) => (
            <li key={p}><NavLink to={pageAt(project, p)} className={({ isActive }) => (isActive ? 'font-semibold' : '')}>{nameOf(p)}</NavLink></li>
          ))}
        </ul>
      </details>
    </nav>
  )
}

function ProjectChoice({ project }: { project: string }) {
  const list = useQuery(ask.projects())
  const go = useNavigate()
  const here = useLocation().pathname.split('/')[3]
  if (!list.data?.projects.length) return null
  const page: Tab = [...ofWork, ...ofProject].find((p) => p === here) ?? 'issues' // the same page of another project
  return (
    <select className="select select-sm w-auto max-w-64 max-md:max-w-32" aria-label="Project" value={project} onChange={(e) => void go(pageAt(e.target.value, page))}>
      {!project && <option value="">Choose a project</option>}
      {list.data.projects.map((p) => (
        <option key={p.name}>{p.name}</option>
      ))}
    </select>
  )
}

/** The pages that search, and what their field says. */
const labels = { issues: 'Search issues', issue: 'Search the events of this issue', events: 'Search events', users: 'Search users by their events' } as const

/** The search of the page that is open; elsewhere it leads to the list of issues. */
function Search({ project, field }: { project: string; field: React.RefObject<HTMLInputElement | null> }) {
  const go = useNavigate()
  const { number, who } = useParams()
  const { search, pathname } = useLocation()
  const [, , , here = ''] = pathname.split('/')
  const page: Searching | undefined = number ? 'issue' : who ? undefined : here === 'issues' || here === 'events' || here === 'users' ? here : undefined
  const params = new URLSearchParams(search)
  const now = page ? read(page, params).search : ''
  return (
    <SearchField
      key={page ?? 'issues'} project={project} now={now} live={page !== undefined} label={labels[page ?? 'issues']} field={field}
      find={(text, replace) => void go(page ? searchedAt(pathname, page, params, text) : pageAt(project, 'issues', { search: text }), { replace })}
    />
  )
}

function ThemeSwitch() {
  const [theme, setTheme] = useState(document.documentElement.dataset.theme)
  const other = theme === 'hedge' ? 'blossom' : 'hedge'
  return (
    <button
      data-theme-switch className="btn btn-ghost btn-sm font-normal max-md:px-2"
      onClick={() => {
        document.documentElement.dataset.theme = other
        localStorage.setItem('firethorn.theme', other)
        setTheme(other)
      }}
    >
      {theme === 'hedge' ? <Sun className="size-4" /> : <Moon className="size-4" />} <span className="max-md:sr-only">{theme === 'hedge' ? 'Light' : 'Dark'}</span>
    </button>
  )
}

function SignOut() {
  const client = useQueryClient()
  return <button onClick={() => void api.signOut().then(() => client.resetQueries())}>Sign out</button>
}
