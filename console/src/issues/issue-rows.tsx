import { useEffect, useMemo, useRef, useState } from 'react'
import { Link, useNavigate } from 'react-router'
import * as api from '../api/client.ts'
import type { Issue } from '../api/client.ts'
import { count, counted, cut, day, rate } from '../core/format.ts'
import { keyOf } from '../core/keys.ts'
import { issueAt, pageAt } from '../core/address.ts'
import type { ListQuery } from '../core/address.ts'
import { goneFrom, merge, searchFields, standOn } from '../core/list.ts'
import { markRange } from '../core/many.ts'
import { toggle } from '../core/merging.ts'
import { scaleOf } from '../core/stem.ts'
import type { Scale } from '../core/stem.ts'
import { DecisionBar } from '../decide/decide.tsx'
import { useKeys } from '../shared/keys.ts'
import { Ago, Empty, State, StemAndBerry } from '../shared/parts.tsx'
import { TicketMark } from '../shared/ticket.tsx'
import { useSay } from '../shared/say.tsx'
import { useVisible } from '../shared/virtual.ts'

/** What was selected and on the screen in the last lists, for anyone who comes back to one. */
const maxLists = 10
const kept = new Map<string, { selected: string | undefined; shown: string[] | undefined; seen: Map<string, Issue> }>()

/**
 * The rows of the list. They keep their places while they are looked at: what
 * is new waits to be asked for, and what left the list by somebody else's doing
 * stays, marked as gone. What is selected is an issue, not a place: a decision
 * is never about another one than the one in sight.
 */
export function Rows({ project, query, list, more, loaded }: { project: string; query: ListQuery; list: Issue[]; more: (() => void) | undefined; loaded: boolean }) {
  const go = useNavigate()
  const place = pageAt(project, 'issues', query)
  const before = kept.get(place)
  const [shown, setShown] = useState<string[] | undefined>(before?.shown)
  const [chosen, setChosen] = useState<string | undefined>(before?.selected)
  const seen = useRef(before?.seen ?? new Map<string, Issue>())
  for (const i of list) seen.current.set(i.id, i)
  const [marks, setMarks] = useState<string[]>([])
  const merged = merge(shown, list, seen.current)
  // What I decided about myself goes; what others did stays in sight.
  const mine = useRef(new Set<string>())
  const left = goneFrom(merged.rows, list)
  const rows = merged.rows.filter((i) => !(left.includes(i.id) && mine.current.has(i.id)))
  const { waiting } = merged
  const ids = rows.map((i) => i.id)
  const at = useRef(0) // where the selected issue was, should it be gone from the rows
  const now = standOn(ids, chosen, at.current)
  const selected = rows.find((i) => i.id === now)
  at.current = Math.max(0, ids.indexOf(now ?? ''))
  const choice = useRef(now) // for keys that come faster than the page is drawn
  choice.current = now
  const gone = left.filter((id) => !mine.current.has(id))
  useEffect(() => {
    kept.delete(place) // the last one goes behind the others
    kept.set(place, { selected: now, shown, seen: seen.current })
    for (const old of kept.keys()) if (kept.size > maxLists) kept.delete(old)
  }, [place, now, shown])
  const asked = useRef(false)
  const moved = useRef(false)
  useEffect(() => {
    if (!loaded) return
    // The first answer, and pages that were asked for, set the rows.
    if (!shown) setShown(list.map((i) => i.id))
    else if (asked.current) setShown([...shown, ...list.map((i) => i.id).filter((id) => !shown.includes(id))])
    asked.current = false
  }, [loaded, list, shown])
  const scale = useMemo(() => scaleOf(rows.map((i) => i.trend)), [rows])
  const marked = rows.filter((i) => marks.includes(i.id))
  const body = useRef<HTMLDivElement>(null)
  const visible = useVisible(rows.length, rowHeight, body)
  const show = useRef(visible.show)
  show.current = visible.show
  const lastMark = useRef<string | undefined>(undefined)
  const say = useSay()
  const [all, setAll] = useState<number>() // how many fit, once all are chosen
  const mark = (id: string | undefined, range = false) => {
    if (!id) return
    setAll(undefined)
    setMarks((old) => (range ? markRange(ids, old, lastMark.current, id) : toggle(old, id)))
    lastMark.current = id
  }
  const clear = () => {
    setAll(undefined)
    setMarks([])
  }
  const markAll = () => {
    setAll(undefined)
    setMarks(ids)
  }
  const chooseAll = () => void api.actMany(project, { verb: 'accept', try: true, state: [query.state], ...searchFields(query) }).then((now) => setAll(now.fits), (e: Error) => say(e.message, true))
  const move = (by: number) => {
    moved.current = true
    const to = Math.max(0, Math.min(ids.length - 1, ids.indexOf(choice.current ?? '') + by))
    choice.current = ids[to]
    setChosen(ids[to])
    if (to >= ids.length - 1 && by > 0) loadMore()
  }
  const row = ids.indexOf(now ?? '')
  useEffect(() => {
    if (moved.current) show.current(row)
  }, [now, row])
  const loadMore = () => {
    if (!more) return
    asked.current = true
    more()
  }
  const showNew = () => {
    setShown(undefined)
    setChosen(undefined)
    at.current = 0
  }
  useKeys('list', {
    next: () => move(1), previous: () => move(-1), showNew: waiting || gone.length ? showNew : undefined,
    mark: () => mark(choice.current), markAll, clear: marks.length > 0 || all !== undefined ? clear : undefined,
    open: selected && (() => void go(issueAt(selected.id))),
  })
  if (rows.length === 0 && waiting === 0) {
    return (
      <Empty title="No issue fits">
        <p>
          There are issues in other states, or under other words. <Link className="link" to={pageAt(project, 'issues', { state: 'all' })}>Show all</Link>
        </p>
      </Empty>
    )
  }
  return (
    <section aria-label="Issues" className="flex min-h-[calc(100vh-7.2rem)] flex-col">
      <div className="grow border-y border-base-300 bg-base-100">
        {(waiting > 0 || gone.length > 0) && (
          <button className="w-full cursor-pointer border-b border-base-300 bg-base-200 py-1 text-center text-info" onClick={showNew}>
            {[waiting > 0 && `${waiting} new`, gone.length > 0 && `${gone.length} no longer in this list`].filter(Boolean).join(', ')} <kbd className="kbd kbd-xs" aria-hidden="true">{keyOf('list', 'showNew')}</kbd>
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
          {visible.before > 0 && <div aria-hidden="true" style={{ height: visible.before }} />}
          {rows.slice(visible.from, visible.to).map((i) => (
            <Row key={i.id} issue={i} gone={gone.includes(i.id)} scale={scale} selected={i === selected} marked={all !== undefined || marks.includes(i.id)} mark={(range) => mark(i.id, range)} select={() => setChosen(i.id)} />
          ))}
          {visible.after > 0 && <div aria-hidden="true" style={{ height: visible.after }} />}
          </div>
        </div>
        {more && (
          <button className="btn btn-ghost btn-sm my-2 ml-3 font-normal" onClick={loadMore}>
            Load more
          </button>
        )}
      </div>
      {(marked.length > 1 || all !== undefined) && (
        <p className="border-t border-base-300 bg-base-200 px-(--edge) py-1" role="status">
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
          all={all !== undefined ? { state: query.state, search: query.search, window: query.window, count: all } : undefined}
          decided={(ids) => {
            for (const id of ids) mine.current.add(id)
            if (marks.length > 0 || all !== undefined) clear()
          }}
          more={
            <Link className="btn btn-primary btn-sm" to={issueAt(selected.id)}>
              Open <kbd className="kbd kbd-xs text-base-content" aria-hidden="true">↵</kbd>
            </Link>
          }
        />
      )}
    </section>
  )
}

/** How high a row is, in pixels. */
const rowHeight = 45

const columns = [['impact', ''], ['issue', ''], ['users', 'text-right'], ['events', 'wide text-right'], ['14 days (UTC)', 'wide'], ['seen', ''], ['releases', 'wide'], ['owner, ticket', 'wide']] as const

const rowID = (i: Issue) => 'row-' + i.id.replace('/', '-')

function Row({ issue: i, gone, scale, selected, select, marked, mark }: { issue: Issue; gone: boolean; scale: Scale; selected: boolean; select: () => void; marked: boolean; mark: (range: boolean) => void }) {
  const go = useNavigate()
  const to = issueAt(i.id)
  const releases = i.first_release === i.last_release ? i.last_release : `${i.first_release || 'none'} → ${i.last_release || 'none'}`
  return (
    <div
      id={rowID(i)} role="row" aria-selected={selected} data-gone={gone || undefined} onClick={select} onDoubleClick={() => void go(to)}
      style={{ height: rowHeight }} className="row cursor-default border-b border-base-300/60"
    >
      <span role="gridcell" className="leading-tight">
        <input type="checkbox" className="checkbox checkbox-xs float-right mr-1 mt-1" checked={marked} onChange={(e) => mark((e.nativeEvent as MouseEvent).shiftKey)} tabIndex={-1} aria-label={`Mark ${i.id}`} title="mark (x); with shift all from the last one on" />
        <b className="text-[1.15rem] font-semibold">{Math.round(i.impact)}</b>
        <br className="max-[600px]:hidden" />
        <span className="soft text-[.85rem] max-[600px]:hidden">{i.impact_words}</span>
      </span>
      <span role="gridcell" className="min-w-0 leading-snug">
        <span className="flex items-center gap-2">
          <Link to={to} tabIndex={-1} className="truncate font-semibold hover:underline">
            {i.headline}
          </Link>
          {i.state !== 'new' && i.state !== 'accepted' && <State state={i.state} fixedIn={i.fixed_in} countOnly={i.count_only} />}
          {gone && <span className="text-warning text-[.85rem] whitespace-nowrap" title="It was here when the list was read. Press n to read the list anew.">left this list</span>}
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
      <span role="gridcell" className="wide text-right leading-tight" title={i.events.toLocaleString('en-GB')}>
        {count(i.events)}
        {i.per_1000_sessions !== undefined && <><br /><span className="soft text-[.85rem]" title={`${i.per_1000_sessions.toFixed(1)} events per 1,000 sessions ${i.matching ? 'in this window' : 'in 14 days'}`}>{rate(i.per_1000_sessions)}/1,000</span></>}
      </span>
      <span role="gridcell" className="wide"><StemAndBerry days={i.trend} scale={scale} events={i.events} users={i.users} width={148} height={36} berry={4.5} /></span>
      <span role="gridcell" className="leading-tight">
        <Ago at={i.last_seen} stop={false} />
        <br />
        <span className="soft text-[.85rem] max-[600px]:hidden">since {day(i.first_seen)}</span>
      </span>
      <span role="gridcell" className="wide mono truncate text-[.85rem]" title={releases}>{releases || 'none'}</span>
      <span role="gridcell" className="wide min-w-0 leading-tight">
        <span className="block truncate" title={i.owner ?? undefined}>{i.owner ?? <span className="soft">nobody</span>}</span>
        {i.tickets && <span className="block truncate text-[.85rem]"><TicketMark ticket={i.tickets.find((t) => t.state === 'open') ?? i.tickets[0]!} />{i.tickets.length > 1 && <span className="soft"> and {i.tickets.length - 1} more</span>}</span>}
      </span>
    </div>
  )
}
