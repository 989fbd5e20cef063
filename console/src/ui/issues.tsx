import { keepPreviousData, useInfiniteQuery } from '@tanstack/react-query'
import { useEffect, useMemo, useRef, useState } from 'react'
import { Link, useNavigate, useParams, useSearchParams } from 'react-router'
import * as api from '../api/client.ts'
import type { Issue } from '../api/client.ts'
import { count, counted, cut, day } from '../core/format.ts'
import { listCommand, listRequest, merge, orders, readQuery, states, writeQuery } from '../core/list.ts'
import type { ListQuery } from '../core/list.ts'
import { markRange } from '../core/many.ts'
import { toggle } from '../core/merging.ts'
import { scaleOf } from '../core/stem.ts'
import type { Scale } from '../core/stem.ts'
import { DecisionBar } from './decide.tsx'
import { useKeys } from './keys.ts'
import { Ago, Copy, Empty, Failed, Loading, State, StemAndBerry } from './parts.tsx'
import { useSay } from './say.tsx'
import { SetUp } from './set-up.tsx'

/** The list of issues: what hurts most first. */
export function Issues() {
  const { project = '' } = useParams()
  const [params, setParams] = useSearchParams()
  const query = readQuery(params)
  const key = JSON.stringify(query)
  const list = useInfiniteQuery({
    queryKey: ['p', project, 'issues', query],
    queryFn: ({ signal, pageParam }) => api.issues(project, { ...query, cursor: pageParam }, signal),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next,
    placeholderData: keepPreviousData,
  })
  useEffect(() => {
    document.title = `Issues of ${project} · Firethorn`
  }, [project])
  const set = (change: Partial<ListQuery>) => setParams(writeQuery({ ...query, ...change }))
  if (list.error) return <Failed error={list.error} again={() => void list.refetch()} />
  if (!list.data) return <Loading />
  const totals = list.data.pages[0]?.states ?? {}
  const all = Object.values(totals).reduce((a, b) => a + b, 0)
  if (all === 0) return <SetUp project={project} />
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-5 gap-y-1 px-4 py-2">
        <h1 className="sr-only">Issues of {project}</h1>
        <StateFilter query={query} totals={totals} set={set} />
        <label className="flex items-center gap-2">
          <span className="soft">order</span>
          <select className="select select-sm w-auto" value={query.order} onChange={(e) => set({ order: e.target.value as ListQuery['order'] })}>
            {orders.map((o) => (
              <option key={o} value={o}>{o.replace('_', ' ')}</option>
            ))}
          </select>
        </label>
        {query.text && (
          <button className="btn btn-outline btn-sm font-normal" onClick={() => set({ text: '' })}>
            “{query.text}” <span aria-hidden="true">×</span>
            <span className="sr-only">clear the search</span>
          </button>
        )}
        <span className="grow" />
        <details className="dropdown dropdown-end">
          <summary className="btn btn-ghost btn-sm font-normal">Copy as …</summary>
          <div className="dropdown-content z-20 flex w-44 flex-col rounded border border-base-300 bg-base-100 p-1">
            <Copy text={listCommand(project, query)}>Command line</Copy>
            <Copy text={listRequest(location.origin, project, query)}>Request</Copy>
          </div>
        </details>
      </div>
      <Rows key={key} project={project} query={query} list={list.data.pages.flatMap((p) => p.issues)} more={list.hasNextPage ? () => void list.fetchNextPage() : undefined} loaded={!list.isPlaceholderData} />
    </>
  )
}

/** How many issues are in a state of the filter. */
function totalOf(s: string, totals: Record<string, number>): number {
  return s === 'all' ? Object.values(totals).reduce((a, b) => a + b, 0) : s === 'open' ? (totals.new ?? 0) + (totals.accepted ?? 0) + (totals.regressed ?? 0) : (totals[s] ?? 0)
}

function StateFilter({ query, totals, set }: { query: ListQuery; totals: Record<string, number>; set: (c: Partial<ListQuery>) => void }) {
  return (
    <div role="group" aria-label="States" className="flex flex-wrap gap-x-1">
      {states.map((s) => (
        <button key={s} aria-pressed={query.state === s} onClick={() => set({ state: s })} className={`cursor-pointer rounded-sm px-2 py-0.5 ${query.state === s ? 'bg-primary text-primary-content' : 'hover:bg-base-300'}`}>
          {s} {count(totalOf(s, totals))}
        </button>
      ))}
    </div>
  )
}

/** Rows keep their places while they are looked at; what is new waits to be asked for. */
function Rows({ project, query, list, more, loaded }: { project: string; query: ListQuery; list: Issue[]; more: (() => void) | undefined; loaded: boolean }) {
  const go = useNavigate()
  const [shown, setShown] = useState<string[]>()
  const [at, setAt] = useState(0)
  const place = useRef(0) // as at, for keys that come faster than the page is drawn
  const [marks, setMarks] = useState<string[]>([])
  const { rows, waiting } = merge(shown, list)
  const asked = useRef(false)
  const moved = useRef(false)
  useEffect(() => {
    if (!loaded) return
    // The first answer, and pages that were asked for, set the rows.
    if (!shown || asked.current) {
      setShown(list.map((i) => i.id))
      asked.current = false
    }
  }, [loaded, list, shown])
  const scale = useMemo(() => scaleOf(rows.map((r) => r.trend)), [rows])
  const selected = rows[Math.min(at, rows.length - 1)]
  const marked = rows.filter((r) => marks.includes(r.id))
  const body = useRef<HTMLDivElement>(null)
  const select = (n: number) => {
    place.current = n
    setAt(n)
  }
  const lastMark = useRef<string | undefined>(undefined)
  const say = useSay()
  const [all, setAll] = useState<number>() // how many fit, once all are chosen
  const mark = (i: Issue | undefined, range = false) => {
    if (!i) return
    setAll(undefined)
    setMarks((old) => (range ? markRange(rows.map((r) => r.id), old, lastMark.current, i.id) : toggle(old, i.id)))
    lastMark.current = i.id
  }
  const clear = () => {
    setAll(undefined)
    setMarks([])
  }
  const markAll = () => {
    setAll(undefined)
    setMarks(rows.map((r) => r.id))
  }
  const chooseAll = () => void api.actMany(project, { verb: 'accept', try: true, state: [query.state], ...(query.text ? { text: query.text } : {}) }).then((now) => setAll(now.fits), (e: Error) => say(e.message, true))
  const move = (by: number) => {
    moved.current = true
    select(Math.max(0, Math.min(rows.length - 1, place.current + by)))
    if (at + by >= rows.length - 1 && by > 0) loadMore()
  }
  useEffect(() => {
    if (moved.current) body.current?.children[at]?.scrollIntoView({ block: 'nearest' })
  }, [at])
  const loadMore = () => {
    if (!more) return
    asked.current = true
    more()
  }
  const showNew = () => {
    setShown(undefined)
    select(0)
  }
  useKeys({
    j: () => move(1), ArrowDown: () => move(1), k: () => move(-1), ArrowUp: () => move(-1), n: waiting ? showNew : undefined,
    x: () => mark(rows[place.current]), X: markAll, Escape: marks.length > 0 || all !== undefined ? clear : undefined,
    Enter: selected && (() => void go(`/p/${selected.id.replace('/', '/issues/')}`)),
  })
  if (rows.length === 0 && waiting === 0) {
    return (
      <Empty title="No issue fits">
        <p>
          There are issues in other states, or under other words. <Link className="link" to={`/p/${project}/issues?state=all`}>Show all</Link>
        </p>
      </Empty>
    )
  }
  return (
    <section aria-label="Issues" className="flex min-h-[calc(100vh-7.2rem)] flex-col">
      <div className="grow border-y border-base-300 bg-base-100">
        {waiting > 0 && (
          <button className="w-full cursor-pointer border-b border-base-300 bg-base-200 py-1 text-center text-info" onClick={showNew}>
            {waiting} new <kbd className="kbd kbd-xs" aria-hidden="true">n</kbd>
          </button>
        )}
        <div className="rows" role="grid" aria-label={`Issues of ${project}`} tabIndex={0} aria-activedescendant={selected ? rowID(selected) : undefined}>
          <div role="rowgroup">
            <div role="row" className="row soft border-b border-base-300 py-1 text-[.9rem]">
              {columns.map(([name, look]) => (
                <span key={name} role="columnheader" className={look}>{name}</span>
              ))}
            </div>
          </div>
          <div ref={body} role="rowgroup">
          {rows.map((i, n) => (
            <Row key={i.id} issue={i} scale={scale} selected={i === selected} marked={all !== undefined || marks.includes(i.id)} mark={(range) => mark(i, range)} select={() => select(n)} />
          ))}
          </div>
        </div>
        {more && (
          <button className="btn btn-ghost btn-sm my-2 ml-3 font-normal" onClick={loadMore}>
            Load more
          </button>
        )}
      </div>
      {(marked.length > 1 || all !== undefined) && (
        <p className="border-t border-base-300 bg-base-200 px-4 py-1" role="status">
          {all !== undefined ? <>All that the filter lists: {counted(all, 'issue')}.</> : <>{counted(marked.length, 'issue')} marked.</>}{' '}
          {all === undefined && <button className="link" onClick={chooseAll}>Choose all that fit</button>}{' '}
          <button className="link" onClick={clear}>Clear</button> <kbd className="kbd kbd-xs" aria-hidden="true">Esc</kbd>
        </p>
      )}
      {selected && (
        <DecisionBar
          issue={selected}
          label={all !== undefined ? `all ${count(all)} that fit` : marked.length > 0 ? `${marked.length} marked` : `${selected.id}  ${selected.headline}`}
          marked={all !== undefined ? [] : marked}
          all={all !== undefined ? { state: query.state, text: query.text, count: all } : undefined}
          decided={clear}
          merged={clear}
          more={
            <Link className="btn btn-primary btn-sm" to={`/p/${selected.id.replace('/', '/issues/')}`}>
              Open <kbd className="kbd kbd-xs text-base-content" aria-hidden="true">↵</kbd>
            </Link>
          }
        />
      )}
    </section>
  )
}

const columns = [['impact', ''], ['issue', ''], ['users', 'text-right'], ['events', 'wide text-right'], ['14 days (UTC)', 'wide'], ['seen', 'wide'], ['releases', 'wide'], ['owner', 'wide']] as const

const rowID = (i: Issue) => 'row-' + i.id.replace('/', '-')

function Row({ issue: i, scale, selected, select, marked, mark }: { issue: Issue; scale: Scale; selected: boolean; select: () => void; marked: boolean; mark: (range: boolean) => void }) {
  const go = useNavigate()
  const to = `/p/${i.id.replace('/', '/issues/')}`
  const releases = i.first_release === i.last_release ? i.last_release : `${i.first_release || 'none'} → ${i.last_release || 'none'}`
  return (
    <div
      id={rowID(i)} role="row" aria-selected={selected} onClick={select} onDoubleClick={() => void go(to)}
      className="row h-[3.45rem] cursor-default border-b border-base-300/60"
    >
      <span role="gridcell" className="leading-tight">
        <input type="checkbox" className="checkbox checkbox-xs float-right mr-1 mt-1" checked={marked} onChange={(e) => mark((e.nativeEvent as MouseEvent).shiftKey)} tabIndex={-1} aria-label={`Mark ${i.id}`} title="mark (x); with shift all from the last one on" />
        <b className="text-[1.15rem] font-semibold">{Math.round(i.impact)}</b>
        <br />
        <span className="soft text-[.85rem]">{i.impact_words}</span>
      </span>
      <span role="gridcell" className="min-w-0 leading-snug">
        <span className="flex items-center gap-2">
          <Link to={to} tabIndex={-1} className="truncate font-semibold hover:underline">
            {i.headline}
          </Link>
          {i.state !== 'new' && i.state !== 'accepted' && <State state={i.state} fixedIn={i.fixed_in} countOnly={i.count_only} />}
          {i.quiet && <span className="text-info text-[.85rem] whitespace-nowrap" title={i.quiet}>gone quiet</span>}
          {i.recounting && <span className="text-warning text-[.85rem]">recounting</span>}
          {i.unhandled && <span className="soft text-[.85rem] whitespace-nowrap">unhandled</span>}
        </span>
        <span className="soft flex gap-3">
          {i.place && <span className="mono max-w-full shrink-0 truncate" title={i.place}>{cut(i.place, 42)}</span>}
          {i.message !== i.headline && <span className="truncate" title={i.message}>{i.message}</span>}
        </span>
      </span>
      <span role="gridcell" className="text-right" title={counted(i.users, 'user')}>{count(i.users)}</span>
      <span role="gridcell" className="wide text-right" title={i.events.toLocaleString('en-GB')}>{count(i.events)}</span>
      <span role="gridcell" className="wide"><StemAndBerry days={i.trend} scale={scale} events={i.events} users={i.users} width={148} height={36} berry={4.5} /></span>
      <span role="gridcell" className="wide leading-tight">
        <Ago at={i.last_seen} />
        <br />
        <span className="soft text-[.85rem]">since {day(i.first_seen)}</span>
      </span>
      <span role="gridcell" className="wide mono truncate text-[.85rem]" title={releases}>{releases || 'none'}</span>
      <span role="gridcell" className="wide truncate" title={i.owner ?? undefined}>{i.owner ?? <span className="soft">nobody</span>}</span>
    </div>
  )
}
