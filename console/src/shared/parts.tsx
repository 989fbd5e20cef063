import { useEffect, useRef, useState } from 'react'
import type { ReactNode } from 'react'
import { ago, exact } from '../core/format.ts'
import { inWords, marks } from '../core/stem.ts'
import type { Day, Scale } from '../core/stem.ts'
import { useNow } from './now.ts'

/** The mark of the house. */
export function Mark() {
  return (
    <svg viewBox="0 0 32 32" width="22" height="22" aria-hidden="true">
      <path d="M8 29C9 20 14 10 25 5M11 20l-6-3M15.500 13.500L19 19" fill="none" stroke="var(--color-primary)" strokeWidth="2.4" strokeLinecap="round" />
      <g fill="var(--color-accent)">
        <circle cx="24.500" cy="6.500" r="4.500" />
        <circle cx="20.500" cy="20.500" r="4" />
        <circle cx="5.500" cy="15.500" r="3.500" />
      </g>
    </svg>
  )
}

/** Trend of an issue; its words stand beside it for those who do not see it. */
export function StemAndBerry(p: { days: Day[]; scale: Scale; events: number; users: number; width: number; height: number; berry: number; notches?: { day: string; name: string }[]; words?: string }) {
  const step = p.width / Math.max(1, p.days.length)
  const words = p.words ?? inWords(p.days, p.events, p.users)
  return (
    <svg width={p.width} height={p.height} role="img" aria-label={words}>
      <title>{words}</title>
      <line className="ground" x1="0" x2={p.width} y1={p.height - 0.5} y2={p.height - 0.5} />
      {marks(p.days, p.scale, p.width, p.height, p.berry).map((m) => (
        <g key={m.day.day}>
          <line className="stem" x1={m.x} x2={m.x} y1={p.height - 1} y2={m.top} />
          {m.r > 0 && <circle className="berry" cx={m.x} cy={m.top} r={m.r} />}
        </g>
      ))}
      {p.notches?.map((n) => {
        const i = p.days.findIndex((d) => d.day === n.day)
        if (i < 0) return null
        const x = step * i
        return (
          <path key={n.name} className="notch" d={`M${x - 3} ${p.height}L${x + 3} ${p.height}L${x} ${p.height - 7}Z`}>
            <title>{`release ${n.name} first seen`}</title>
          </path>
        )
      })}
    </svg>
  )
}

/** A time: relative, with the exact one on hover, focus and tap. It keeps itself current. */
export function Ago({ at, stop = true }: { at: string; stop?: boolean }) {
  const now = Math.max(useNow(), Date.parse(at)) // what came after the clock's last tick is new
  return (
    <time dateTime={at} className="tip" tabIndex={stop ? 0 : -1} data-tip={exact(at)} aria-label={`${ago(at, now)}, ${exact(at)}`}>
      {ago(at, now)}
    </time>
  )
}

const looks: Record<string, string> = {
  new: 'border-info text-info', accepted: 'border-secondary soft', regressed: 'border-accent text-accent', fixed: 'border-primary text-primary', parked: 'border-warning text-warning', dismissed: 'border-secondary soft',
}

/** A state, as a word. */
export function State({ state, fixedIn, countOnly }: { state: string; fixedIn?: string | undefined; countOnly?: boolean | undefined }) {
  return <span className={`inline-block rounded-sm border px-1.5 text-[.85rem] leading-5 whitespace-nowrap ${looks[state] ?? ''}`}>{state === 'fixed' && fixedIn ? `fixed in ${fixedIn}` : countOnly ? 'counted only' : state}</span>
}

/** The two ends of a dialog with a form: nothing happens, or what words say. */
export function Buttons({ close, words, off = false }: { close: () => void; words: string; off?: boolean }) {
  return (
    <div className="mt-4 flex justify-end gap-2">
      <button type="button" className="btn btn-ghost btn-sm" onClick={close}>Cancel</button>
      <button className="btn btn-primary btn-sm" disabled={off}>{words}</button>
    </div>
  )
}

/** A dialog that takes the focus and gives it back. */
export function Dialog({ title, close, wide = false, children }: { title: string; close: () => void; wide?: boolean; children: ReactNode }) {
  const ref = useRef<HTMLDialogElement>(null)
  useEffect(() => {
    const had = document.activeElement
    ref.current?.showModal()
    return () => {
      if (had instanceof HTMLElement) had.focus()
    }
  }, [])
  return (
    <dialog ref={ref} className="modal" aria-label={title} onClose={close}>
      <div className={`modal-box border border-base-300 text-left font-normal whitespace-normal ${wide ? 'max-w-2xl' : 'max-w-md'}`}>
        <h2 className="mb-3 text-lg font-semibold">{title}</h2>
        {children}
      </div>
      <form method="dialog" className="modal-backdrop">
        <button tabIndex={-1}>close</button>
      </form>
    </dialog>
  )
}

/** Copies a text, and says so. */
export function Copy({ text, children }: { text: string; children: ReactNode }) {
  const [done, setDone] = useState(false)
  const copy = () => {
    void navigator.clipboard.writeText(text).then(() => {
      setDone(true)
      setTimeout(() => setDone(false), 1500)
    })
  }
  return (
    <button type="button" className="btn btn-ghost btn-sm justify-start font-normal" title={text} onClick={copy}>
      <span aria-live="polite">{done ? 'Copied' : children}</span>
    </button>
  )
}

/** What would be here, and how it gets here. */
export function Empty({ title, page = false, children }: { title: string; page?: boolean; children?: ReactNode }) {
  const Heading = page ? 'h1' : 'h2'
  return (
    <div className={`read ${page ? 'page' : 'py-8'}`}>
      <Heading className={page ? 'page-title' : 'mb-1 text-lg font-semibold'}>{title}</Heading>
      {children}
    </div>
  )
}

/** An error in the service's words, with a way on. */
export function Failed({ error, again }: { error: Error; again?: () => void }) {
  return (
    <div role="alert" className="failed panel read mx-(--edge) my-4 border-accent px-4 py-3">
      <h2 className="font-semibold text-accent">This did not work</h2>
      <p className="mt-1">{error.message}</p>
      {again && (
        <button className="btn btn-outline btn-sm mt-3" onClick={again}>
          Try again
        </button>
      )}
    </div>
  )
}

export function Loading() {
  return (
    <p className="soft px-(--edge) py-6" role="status">
      Loading …
    </p>
  )
}

/** A figure of an issue under its name, in a description list. */
export function Figure({ name, children }: { name: string; children: ReactNode }) {
  return (
    <div>
      <dt className="soft text-[.9rem] leading-4">{name}</dt>
      <dd className="text-[1.15rem] leading-6 font-semibold">{children}</dd>
    </div>
  )
}
