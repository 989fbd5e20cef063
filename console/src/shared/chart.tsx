import { useEffect, useRef, useState } from 'react'
import type { KeyboardEvent } from 'react'
import { count, counted } from '../core/format.ts'
import { momentAt, stripInWords } from '../core/strip.ts'
import type { Mark, Strip } from '../core/strip.ts'

/** The colours of bars that stand on each other. */
const series = ['--series-0', '--series-1', '--series-2', '--series-3', '--series-4', '--series-5'] as const
const none: Mark[] = []

type Plot = ReturnType<(typeof import('./plot.ts'))['plot']>

/**
 * Bars over time. A stretch is chosen by dragging, or with the keys: arrows move, with
 * Shift they extend, Enter chooses, minus widens. What stands at a moment is said below
 * the bars, and heard by screen readers.
 */
export function Chart({ strip, names, colours = series, legend = true, marks = none, height, label, what = 'event', times = true, choose, widen }: { strip: Strip; names: string[]; colours?: readonly string[]; legend?: boolean; marks?: Mark[]; height: number; label: string; what?: string; times?: boolean; choose?: (from: number, to: number) => void; widen?: () => void }) {
  const host = useRef<HTMLDivElement>(null)
  const drawn = useRef<Plot>(undefined)
  const [at, setAt] = useState<number>()
  const anchor = useRef<number>(undefined)
  const theme = useTheme()
  const heard = useRef({ choose, widen })
  heard.current = { choose, widen }
  const chosen = (first: number, last: number) => heard.current.choose?.((strip.at[first] ?? 0) * 1000, ((strip.at[last] ?? 0) + strip.interval) * 1000)
  const dragged = useRef(chosen)
  dragged.current = chosen
  useEffect(() => {
    let gone = false
    let watch: ResizeObserver | undefined
    void import('./plot.ts').then(({ plot }) => {
      const into = host.current
      if (gone || !into) return
      drawn.current = plot(into, { strip, marks, height, times, colours, over: setAt, dragged: (a, b) => dragged.current(a, b), widened: () => heard.current.widen?.() })
      watch = new ResizeObserver(() => drawn.current?.size(into.clientWidth))
      watch.observe(into)
    })
    return () => {
      gone = true
      watch?.disconnect()
      drawn.current?.end()
      drawn.current = undefined
    }
  }, [strip, marks, height, times, colours, theme])
  const press = (e: KeyboardEvent) => {
    const step = { ArrowLeft: -1, ArrowRight: 1 }[e.key]
    if (step !== undefined) {
      const last = strip.at.length - 1
      const now = at === undefined ? (step < 0 ? last : 0) : Math.max(0, Math.min(last, at + step))
      if (e.shiftKey) anchor.current ??= at ?? now
      else anchor.current = undefined
      setAt(now)
      drawn.current?.cursor(now)
      if (anchor.current !== undefined) drawn.current?.mark(Math.min(anchor.current, now), Math.max(anchor.current, now))
    } else if (e.key === 'Enter' && at !== undefined) {
      chosen(Math.min(anchor.current ?? at, at), Math.max(anchor.current ?? at, at))
      anchor.current = undefined
    } else if (e.key === '-' && widen) widen()
    else return
    e.preventDefault()
  }
  const when = (seconds: number) => whenOf(seconds, strip.interval)
  const here = at === undefined ? undefined : (strip.at[at] ?? 0)
  const passed = here === undefined ? [] : marks.filter((m) => momentAt(strip, m.at) === at)
  return (
    <figure>
      <div ref={host} tabIndex={0} role="group" aria-label={`${label}. ${stripInWords(strip, when, what)}${choose ? '. Arrow keys move, with Shift they choose a stretch, Enter narrows to it' : ''}`} onKeyDown={press} onBlur={() => drawn.current?.cursor(undefined)} style={{ height }} className={choose ? 'cursor-crosshair' : ''} data-chart />
      <figcaption className="soft flex min-h-5 flex-wrap items-center gap-x-4 text-[.9rem] leading-5" aria-live="polite">
        {here !== undefined && at !== undefined ? (
          <span>
            <b className="text-base-content">{when(here)}</b>: {counted(strip.events[at] ?? 0, what)}
            {strip.users.length > 0 && <>, <span className="hurts">{counted(strip.users[at] ?? 0, 'user')}</span></>}
            {names.length > 1 && names.map((n, i) => ((v) => v > 0 && `; ${n || 'no value'} ${count(v)}`)((strip.stacked[i]?.[at] ?? 0) - (strip.stacked[i - 1]?.[at] ?? 0)))}
            {passed.map((m) => `; ${m.words}`)}
          </span>
        ) : !legend ? null : names.length > 1 ? (
          names.map((n, i) => <Sample key={n} name={n || 'no value'} colour={`var(${colours[i % colours.length]})`} />)
        ) : (
          <>
            <Sample name="events" colour="var(--series-0)" />
            {strip.users.length > 0 && <Sample name="users" colour="var(--color-accent)" round />}
            {marks.some((m) => m.kind === 'release') && <span>▲ release first seen</span>}
            {marks.some((m) => m.kind === 'deploy') && <span>┊ deployed</span>}
          </>
        )}
      </figcaption>
    </figure>
  )
}

const Sample = ({ name, colour, round = false }: { name: string; colour: string; round?: boolean }) => (
  <span className="flex max-w-48 items-center gap-1.5"><svg width="10" height="10" aria-hidden="true" className="shrink-0"><rect width="10" height="10" rx={round ? 5 : 2} fill={colour} /></svg><span className="truncate">{name}</span></span>
)

/** A moment of a chart in the reader's zone: a day, or an hour and minute of one. */
function whenOf(seconds: number, interval: number): string {
  const at = new Date(seconds * 1000)
  const day = at.toLocaleDateString('en-GB', { weekday: 'short', day: 'numeric', month: 'short' })
  return interval % 86_400 === 0 ? day : `${day}, ${at.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })}`
}

/** The theme that is on; colours of a drawing are read from it. */
function useTheme(): string | undefined {
  const [theme, setTheme] = useState(document.documentElement.dataset.theme)
  useEffect(() => {
    const watch = new MutationObserver(() => setTheme(document.documentElement.dataset.theme))
    watch.observe(document.documentElement, { attributeFilter: ['data-theme'] })
    return () => watch.disconnect()
  }, [])
  return theme
}
