import { useInfiniteQuery, useQuery } from '@tanstack/react-query'
import { useMemo, useRef, useState } from 'react'
import { Link } from 'react-router'
import * as asking from '../api/search.ts'
import { issueAt, usualColumns } from '../core/address.ts'
import { count, exact } from '../core/format.ts'
import { searchCommand, searchRequest } from '../core/list.ts'
import { option } from '../core/shell.ts'
import { toggled } from '../core/search.ts'
import { Breadcrumbs, Facts } from '../event/facts.tsx'
import { Trace } from '../event/trace.tsx'
import { Chips } from '../search/chips.tsx'
import { FacetsButton, FacetsPanel } from '../search/facets.tsx'
import { Saved } from '../search/saved.tsx'
import { StripControls, TimeStrip } from '../search/strip.tsx'
import { useSearch } from '../search/use-search.ts'
import { useAddress } from '../shared/address.ts'
import { CopyAs } from '../shared/copy-as.tsx'
import { useKeys } from '../shared/keys.ts'
import { Table } from '../shared/page.tsx'
import { Ago, Dialog, Empty, Failed, Loading } from '../shared/parts.tsx'
import { useTitle } from '../shared/title.ts'
import { useVisible } from '../shared/virtual.ts'

/** How high a row is, in pixels. */
const rowHeight = 33

/** The events that fit a search, as a table of the columns one chooses, the newest first. */
export function EventsPage() {
  const { project, state, set } = useAddress('events')
  const s = useSearch('events')
  const columns = useMemo(() => state.columns.split(',').filter(Boolean), [state.columns])
  const got = useInfiniteQuery(asking.events(s.scope, columns))
  const [at, setAt] = useState(0)
  const list = got.data?.pages.flatMap((p) => p.events) ?? []
  const open = list.findIndex((e) => e.id === state.open)
  useTitle(`Events of ${project}`)
  const body = useRef<HTMLTableSectionElement>(null)
  const seen = useVisible(list.length, rowHeight, body)
  const move = (by: number) => {
    const to = Math.max(0, Math.min(list.length - 1, (open >= 0 ? open : at) + by))
    setAt(to)
    seen.show(to)
    if (open >= 0) set({ open: list[to]?.id ?? '' }, true)
    if (to >= list.length - 1 && got.hasNextPage) void got.fetchNextPage()
  }
  useKeys('events', { next: () => move(1), previous: () => move(-1), open: list[at] && (() => set({ open: list[at]!.id })) })
  const more = Object.fromEntries(columns.length > 0 ? [['columns', columns.join(',')]] : [])
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1 px-(--edge) py-1.5">
        <h1 className="sr-only">Events of {project}</h1>
        <FacetsButton s={s} />
        <Columns project={project} now={columns} set={(list) => set({ columns: list.join(',') })} />
        <span className="grow" />
        <Saved s={s} />
        <StripControls s={s} />
        <CopyAs command={searchCommand('event list', s.scope, ...columns.map((c) => option('--columns', c)))} request={searchRequest(location.origin, '/events', s.scope, more)} />
      </div>
      <Chips s={s} error={got.error} />
      <TimeStrip s={s} />
      <div className="flex items-stretch max-md:flex-col">
        <FacetsPanel s={s} />
        <div className="min-w-0 grow border-y border-base-300 bg-base-100">
          {got.error && !s.search && <Failed error={got.error} again={() => void got.refetch()} />}
          {!got.data && !got.error && <Loading />}
          {got.data && list.length === 0 && (
            <Empty title="No event fits"><p className="px-(--edge)">Events are searched in {s.window ? 'the window that you chose' : 'the last 7 days'}. <button className="link" onClick={() => s.set({ search: '', window: '30d' })}>Show the last 30 days without a search</button></p></Empty>
          )}
          {list.length > 0 && (
            <Table label="Events" columns={['Time', 'What broke', 'Issue', ...columns]} body={body}>
              {seen.before > 0 && <tr aria-hidden="true"><td colSpan={3 + columns.length} style={{ height: seen.before, padding: 0 }} /></tr>}
              {list.slice(seen.from, seen.to).map((e, n) => ({ e, i: seen.from + n })).map(({ e, i }) => (
                <tr key={e.id} id={`event-${i}`} aria-current={i === at ? 'true' : undefined} onClick={() => setAt(i)} onDoubleClick={() => set({ open: e.id })} style={{ height: rowHeight }}>
                  <td className="whitespace-nowrap"><Ago at={e.time} stop={false} /></td>
                  <td className="name"><button className="link-hover block max-w-80 cursor-pointer truncate text-left font-semibold" title={e.headline} onClick={() => { setAt(i); set({ open: e.id }) }}>{e.headline}</button>{e.stands_for > 1 && <span className="soft"> × {count(e.stands_for)}</span>}</td>
                  <td className="whitespace-nowrap"><Link className="link" to={issueAt(e.issue, e.id)}>{e.issue}</Link></td>
                  {columns.map((c) => (
                    <td key={c} className="max-w-60">
                      {e.columns?.[c] === undefined ? <span className="soft">–</span> : <button className="link-hover mono block max-w-60 cursor-pointer truncate text-left" dir="auto" title={`${e.columns[c]}: click narrows to it, with Alt leaves it out`} onClick={(x) => s.set({ search: toggled(s.search, c, e.columns![c]!, x.altKey) })}>{e.columns[c] || 'empty'}</button>}
                    </td>
                  ))}
                </tr>
              ))}
              {seen.after > 0 && <tr aria-hidden="true"><td colSpan={3 + columns.length} style={{ height: seen.after, padding: 0 }} /></tr>}
            </Table>
          )}
          {got.hasNextPage && <button className="btn btn-ghost btn-sm m-1 font-normal" disabled={got.isFetchingNextPage} onClick={() => void got.fetchNextPage()}>Load more</button>}
        </div>
      </div>
      {open >= 0 && <One key={list[open]!.id} project={project} id={list[open]!.id} close={() => set({ open: '' })} move={move} first={open === 0} last={open === list.length - 1 && !got.hasNextPage} />}
    </>
  )
}

/** Chooses the columns of the table. */
function Columns({ project, now, set }: { project: string; now: string[]; set: (list: string[]) => void }) {
  const list = useQuery({ ...asking.attributes(project), retry: false })
  const names = ['type', 'file', 'function', 'release', 'environment', 'severity', 'handled', ...(list.data?.attributes.filter((a) => !a.dropped).map((a) => a.name) ?? [])]
  return (
    <details className="dropdown">
      <summary className="btn btn-ghost btn-sm font-normal">Columns …</summary>
      <div className="dropdown-content z-20 w-72 panel p-2">
        <ul className="max-h-80 overflow-y-auto">
          {[...new Set([...now, ...names])].map((n) => (
            <li key={n}><label className="flex items-center gap-2 px-1 py-px"><input type="checkbox" className="checkbox checkbox-xs" checked={now.includes(n)} onChange={(e) => set(e.target.checked ? [...now, n].slice(0, 20) : now.filter((x) => x !== n))} /> <span className="truncate">{n}</span></label></li>
          ))}
        </ul>
        <button className="btn btn-ghost btn-sm mt-1 font-normal" onClick={() => set(usualColumns.split(','))}>The usual ones</button>
      </div>
    </details>
  )
}

/** One event, over the table: closing it leads back to where one was. */
function One({ project, id, close, move, first, last }: { project: string; id: string; close: () => void; move: (by: number) => void; first: boolean; last: boolean }) {
  const got = useQuery(asking.event(project, id))
  const e = got.data
  return (
    <Dialog title={e ? e.headline : 'Event'} close={close} wide>
      <div className="flex flex-wrap items-center gap-2 pb-2">
        <span className="join">
          <button className="btn btn-outline btn-xs join-item font-normal" disabled={first} onClick={() => move(-1)}>Newer</button>
          <button className="btn btn-outline btn-xs join-item font-normal" disabled={last} onClick={() => move(1)}>Older</button>
        </span>
        {e && <span className="soft">{exact(e.time)}, {e.release || 'no release'}, {e.environment}</span>}
        {e && <Link className="link ml-auto" to={issueAt(e.issue, e.id)}>Open in {e.issue}</Link>}
      </div>
      {got.error && <Failed error={got.error} />}
      {!e && !got.error && <Loading />}
      {e && (
        <>
          <Trace event={e} raw={false} />
          <h3 className="mt-4 mb-1 font-semibold">What led up to it</h3>
          <Breadcrumbs event={e} />
          <h3 className="mt-4 mb-1 font-semibold">Facts of this event</h3>
          <Facts event={e} />
        </>
      )}
      <div className="mt-4 text-right"><button className="btn btn-primary btn-sm" onClick={close} autoFocus>Close</button></div>
    </Dialog>
  )
}
