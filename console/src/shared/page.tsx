import type { FormEvent, ReactNode, Ref } from 'react'
import { CircleAlert, TriangleAlert } from './icons.tsx'

/**
 * The frame of every page: one left edge, one heading line (what it is, one
 * sentence, what can be done), and what the page is about.
 */
export function Page({ title, about, actions, children }: { title: ReactNode; about?: ReactNode; actions?: ReactNode; children?: ReactNode }) {
  return (
    <div className="page">
      <header className="page-head">
        <h1 className="page-title">{title}</h1>
        {about && <p className="soft min-w-0 flex-1 basis-72">{about}</p>}
        {actions && <div className="ml-auto flex flex-wrap items-center gap-2">{actions}</div>}
      </header>
      {children}
    </div>
  )
}

/** A part of a page with a heading of its own. flush: its content goes to the edges, as tables and lists do. */
export function Card({ title, note, actions, flush = false, label, children, className = '' }: { title?: ReactNode; note?: ReactNode; actions?: ReactNode; flush?: boolean; label?: string; children?: ReactNode; className?: string }) {
  return (
    <section className={`panel ${className}`} aria-label={label ?? (typeof title === 'string' ? title : undefined)}>
      {(title || actions) && (
        <header className={`flex flex-wrap items-baseline gap-x-3 gap-y-1 px-3 pt-2 ${flush ? 'pb-1.5' : ''}`}>
          <h2 className="font-semibold">{title}</h2>
          {note && <p className="soft min-w-0 flex-1 basis-64">{note}</p>}
          {actions && <div className="ml-auto flex flex-wrap items-center gap-2">{actions}</div>}
        </header>
      )}
      {flush ? children : <div className="px-3 py-2">{children}</div>}
    </section>
  )
}

/** A column of a table: its name, and whether it holds figures. */
export type Column = string | { name: string; right?: boolean; hidden?: boolean }

/** A table over the whole width, which scrolls by itself where there is no room. */
export function Table({ label, columns, body, children }: { label: string; columns: readonly Column[]; body?: Ref<HTMLTableSectionElement>; children: ReactNode }) {
  return (
    <div className="relative overflow-x-auto" tabIndex={0} role="group" aria-label={label}>
      <table className="data" aria-label={label}>
        <thead>
          <tr>
            {columns.map((c) => {
              const { name, right = false, hidden = false } = typeof c === 'string' ? { name: c } : c
              return <th key={name} scope="col" className={right ? 'text-right!' : ''}>{hidden ? <span className="sr-only">{name}</span> : name}</th>
            })}
          </tr>
        </thead>
        <tbody ref={body}>{children}</tbody>
      </table>
    </div>
  )
}

/** One of a few, as buttons in a row. */
export function Choice<T extends string | number>({ label, all, now, choose }: { label: string; all: readonly (readonly [T, string])[]; now: T; choose: (v: T) => void }) {
  return (
    <div className="join" role="group" aria-label={label}>
      {all.map(([v, words]) => (
        <button key={v} type="button" className={`btn btn-sm join-item font-normal ${v === now ? 'btn-primary' : 'btn-outline'}`} aria-pressed={v === now} onClick={() => choose(v)}>
          {words}
        </button>
      ))}
    </div>
  )
}

/** A form whose fields stand under each other; errors and the button come last. */
export function Form({ submit, error, button, busy = false, off = false, extra, children }: { submit: () => void; error?: string | undefined; button: string; busy?: boolean; off?: boolean; extra?: ReactNode; children: ReactNode }) {
  const go = (e: FormEvent) => {
    e.preventDefault()
    if (!busy && !off) submit()
  }
  return (
    <form onSubmit={go} className="max-w-xl">
      <div className="space-y-3">{children}</div>
      {error && <p role="alert" className="hurts mt-2">{error}</p>}
      <p className="mt-3 flex flex-wrap gap-2">
        <button className="btn btn-primary btn-sm" disabled={busy || off}>{button}</button>
        {extra}
      </p>
    </form>
  )
}

/** A field under its name, with what it is for. */
export function Field({ name, hint, children }: { name: string; hint?: ReactNode; children: ReactNode }) {
  return (
    <label className="block">
      <span className="block font-semibold">{name}</span>
      {hint && <span className="soft mb-1 block">{hint}</span>}
      {children}
    </label>
  )
}

/** Something that is wrong, or to be known, with the way on. */
export function Alert({ tone = 'warning', children }: { tone?: 'warning' | 'bad'; children: ReactNode }) {
  const Icon = tone === 'bad' ? CircleAlert : TriangleAlert
  return (
    <div role="alert" className={`panel flex items-start gap-2 px-3 py-2 ${tone === 'bad' ? 'border-accent' : 'border-warning'}`}>
      <Icon className={`mt-0.5 size-4 shrink-0 ${tone === 'bad' ? 'text-accent' : 'text-warning'}`} />
      <div className="min-w-0 break-words">{children}</div>
    </div>
  )
}
