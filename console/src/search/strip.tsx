import { useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import { ApiError } from '../api/client.ts'
import * as asking from '../api/search.ts'
import { count } from '../core/format.ts'
import { terms, toggled } from '../core/search.ts'
import { marksIn, strip } from '../core/strip.ts'
import { between, wider, windowInWords, windows } from '../core/window.ts'
import { Chart } from '../shared/chart.tsx'
import { useNow } from '../shared/now.ts'
import { useLater, useTurn } from './turns.ts'
import type { Search } from './use-search.ts'

const none: never[] = []

/** The time strip: when the events came that a page is about. It is also how the window is chosen. */
export function TimeStrip({ s }: { s: Search }) {
  return (
    <section aria-label="Time strip" className="px-(--edge)">
      <Bars s={s} by={s.stack} height={s.stack ? 92 : 76} />
      {s.stack && s.second && <Bars s={s} by={s.second} height={70} />}
      <Unusual s={s} />
    </section>
  )
}

function Bars({ s, by, height }: { s: Search; by: string; height: number }) {
  const later = useLater(s.scope)
  const got = useQuery({ ...asking.histogram(later ?? s.scope, by), enabled: useTurn('histogram') && later !== undefined })
  const releases = useQuery({ ...asking.marks(s.scope.project), enabled: useTurn('marks') && later !== undefined })
  const now = useNow()
  const drawn = useMemo(() => got.data && strip(got.data.series, got.data.interval_s), [got.data])
  const marks = useMemo(() => (drawn && releases.data ? marksIn(releases.data.releases, drawn) : none), [drawn, releases.data])
  const names = useMemo(() => got.data?.series.map((x) => x.value) ?? [], [got.data])
  if (got.error instanceof ApiError && got.error.column !== undefined) return null // it is said beside the search
  if (got.error && !drawn) return <p className="soft" style={{ minHeight: height + 20 }}>{got.error.message}</p>
  if (!drawn || drawn.at.length === 0) return <p className="soft" style={{ height: height + 20 }}>{got.data ? `No event has ${by || 'arrived in this time'}.` : 'Loading …'}</p>
  return (
    <>
      <Chart
        strip={drawn} names={names} marks={marks} height={height} label={`${by ? `Events by ${by}` : 'Events and users'} in ${windowInWords(s.window)}`}
        choose={(from, to) => s.set({ window: between(from, to) })}
        widen={() => s.set({ window: wider(s.window, now) })}
      />
      {got.data?.warnings?.map((w) => <p key={w} role="status" className="text-warning">{w}.</p>)}
      {got.data?.complete_from && <p className="soft">The search index is being filled in: events before {new Date(got.data.complete_from).toLocaleString('en-GB')} may be missing.</p>}
    </>
  )
}

/** The window, and what the strip is stacked by. */
export function StripControls({ s }: { s: Search }) {
  const list = useQuery({ ...asking.attributes(s.scope.project), retry: false })
  const names = ['release', 'environment', 'severity', 'handled', ...(list.data?.attributes.filter((a) => !a.dropped).map((a) => a.name) ?? [])]
  const named = windows.some(([w]) => w === s.window)
  const stack = (label: string, now: string, choose: (v: string) => void) => (
    <select className="select select-sm w-auto max-w-40" aria-label={label} value={now} onChange={(e) => choose(e.target.value)}>
      <option value="">{label} …</option>
      {now && !names.includes(now) && <option>{now}</option>}
      {names.map((n) => <option key={n}>{n}</option>)}
    </select>
  )
  return (
    <>
      <select className="select select-sm w-auto" aria-label="Window" value={s.window} onChange={(e) => s.set({ window: e.target.value })}>
        {!named && <option value={s.window}>{windowInWords(s.window)}</option>}
        {windows.map(([w, words]) => <option key={w} value={w}>{words}</option>)}
      </select>
      {stack('stack by', s.stack, (v) => s.set({ stack: v, ...(v ? {} : { second: '' }) }))}
      {s.stack && stack('and by', s.second, (v) => s.set({ second: v }))}
    </>
  )
}

// What a trace says about an event says nothing about where it happens.
const ofTheTrace = ['handled', 'severity', 'error.type', 'message']

/** One sentence about what is unusual in the events that fit, if anything is. */
function Unusual({ s }: { s: Search }) {
  const narrowed = s.search !== '' || s.scope.issue !== undefined
  const later = useLater(s.scope)
  const got = useQuery({ ...asking.against(later ?? s.scope, 12), enabled: useTurn('against') && narrowed && later !== undefined })
  const named = new Set([...ofTheTrace, ...terms(s.search).map((t) => t.name)])
  const odd = narrowed ? got.data?.values.find((v) => v.ratio >= 2 && v.here * 3 >= v.here_of && !named.has(v.name) && !(v.here === v.here_of && v.elsewhere === 0)) : undefined
  if (!odd) return null
  const [here, elsewhere] = [odd.here / odd.here_of, odd.elsewhere / odd.elsewhere_of]
  return (
    <p className="mb-1">
      Unusually often <b className="font-semibold">{odd.name} {odd.value}</b>: {count(odd.here)} of {count(odd.here_of)} events ({percent(here)}), elsewhere {count(odd.elsewhere)} of {count(odd.elsewhere_of)} ({percent(elsewhere)}).{' '}
      <button className="link" onClick={() => s.set({ search: toggled(s.search, odd.name, odd.value, false) })}>Only these</button>
    </p>
  )
}

const percent = (share: number) => (share > 0 && share < 0.01 ? 'under 1 %' : `${Math.round(100 * share)} %`)
