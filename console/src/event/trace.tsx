import { lost } from '../core/current.ts'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useParams } from 'react-router'
import type { EventDetail, Exception, Frame } from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { asText, called, layOut } from '../core/trace.ts'
import { CommitName } from '../shared/likely.tsx'
import { Ago, Copy } from '../shared/parts.tsx'
import { FromRepository, Source } from '../shared/source.tsx'
import { pageAt } from '../core/address.ts'

const relations: Record<string, string> = { cause: 'caused by', member: 'one of its members', suppressed: 'suppressed', context: 'raised while handling' }

/** All exceptions of an event, the reported one first. */
export function Trace({ event, raw }: { event: EventDetail; raw: boolean }) {
  if (event.exceptions.length === 0) {
    return <p className="panel p-4">{event.message}</p>
  }
  return (
    <div className="space-y-4">
      {event.exceptions.map((x, i) => (
        <section key={i} className="panel" aria-label={x.type ?? 'thrown value'}>
          {i === 0 && <div className="float-right p-1"><Copy text={raw ? rawText(event) : asText(event.exceptions)}>Copy as text</Copy></div>}
          <h3 className="px-3 py-2">
            {i > 0 && <span className="soft">{relations[x.relation ?? 'cause']} </span>}
            <b className="hurts font-semibold">{x.type ?? `thrown ${x.thrown ?? 'value'}`}</b>
            {x.message && <span className="break-words whitespace-pre-wrap">: {x.message}</span>}
          </h3>
          {raw ? <Raw exception={x} /> : <Frames exception={x} event={event.id} release={event.release} />}
        </section>
      ))}
    </div>
  )
}

const rawOf = (x: Exception) => x.stack ?? x.frames.map((f) => `    at ${f.raw.function || '(anonymous)'} (${f.raw.file}:${f.raw.line}:${f.raw.column})`).join('\n')
const rawText = (event: EventDetail) => event.exceptions.map(rawOf).join('\n')

function Raw({ exception: x }: { exception: Exception }) {
  const text = rawOf(x)
  return (
    <pre className="overflow-x-auto border-t border-base-300 p-3" tabIndex={0} aria-label="Trace as the runtime printed it">
      {text || 'The runtime gave no trace.'}
    </pre>
  )
}

export function Frames({ exception: x, event, release }: { exception: { frames: Frame[] }; event: string; release?: string | undefined }) {
  if (x.frames.length === 0) return <p className="soft border-t border-base-300 px-3 py-2">It has no stack trace.</p>
  // A reason that many frames share is said once.
  const first = new Map<string, Frame>()
  for (const f of x.frames) if (f.why_raw && !first.has(f.why_raw)) first.set(f.why_raw, f)
  return (
    <ol className="border-t border-base-300">
      {layOut(x.frames).map((p, i) => (
        <li key={i} className="border-b border-base-300/60 last:border-0">
          {'frame' in p ? <OneFrame frame={p.frame} event={event} release={release} why={p.frame.why_raw && first.get(p.frame.why_raw) === p.frame ? p.frame.why_raw : undefined} /> : <Folded frames={p.folded} words={p.words} />}
        </li>
      ))}
    </ol>
  )
}

function OneFrame({ frame: f, event, release, why }: { frame: Frame; event: string; release: string | undefined; why: string | undefined }) {
  const { project = '' } = useParams()
  const [open, setOpen] = useState(f.origin ?? false)
  const lines = (f.source_lines ?? []).length > 0
  const head = (
    <>
      <span className={`mono truncate ${f.origin ? 'font-semibold' : ''}`}>{called(f)}</span>
      <span className="mono soft min-w-0 truncate" title={`${f.file}:${f.line}:${f.column}`}>{f.file}{f.line ? `:${f.line}` : ''}{f.why_raw && f.column ? `:${f.column}` : ''}</span>
      {f.origin && <span className="hurts text-[.85rem] whitespace-nowrap">blamed</span>}
    </>
  )
  return (
    <>
      {lines ? (
        <button className="flex w-full cursor-pointer items-baseline gap-3 px-3 py-1 text-left hover:bg-base-200" aria-expanded={open} onClick={() => setOpen(!open)}>
          <span className="soft w-3" aria-hidden="true">{open ? '▾' : '▸'}</span>
          {head}
        </button>
      ) : (
        <div className="flex items-baseline gap-3 px-3 py-1">
          <span className="w-3" />
          {head}
        </div>
      )}
      {why && (
        <p className="px-9 pb-1.5 text-[.93rem] text-warning">
          Not resolved: {why}. <Link className="link" to={pageAt(project, 'symbols', { event })}>Searched symbols</Link>
        </p>
      )}
      {open && lines && <Source frame={f} />}
      {open && <FromRepository frame={f} inset="px-9" />}
      {open && lines && release && f.kind === 'own' && <LastChange project={project} release={release} frame={f} />}
      {open && f.raw.file !== f.file && <p className="mono soft px-9 pb-1.5 text-[.85rem] break-all" title="the frame as the runtime printed it">{f.raw.function || '(anonymous)'} {f.raw.file}:{f.raw.line}:{f.raw.column}</p>}
    </>
  )
}

/** Who changed the line of a frame last, asked for when somebody wants to know. */
function LastChange({ project, release, frame: f }: { project: string; release: string; frame: Frame }) {
  const [asked, setAsked] = useState(false)
  const got = useQuery({ ...ask.whoChanged(project, release, f.file, f.line), enabled: asked })
  if (!asked) return <button className="link soft px-9 pb-1.5 text-[.93rem]" onClick={() => setAsked(true)}>Who changed line {f.line}?</button>
  if (lost(got)) return <p role="alert" className="px-9 pb-1.5 text-[.93rem] text-accent">{got.error!.message}</p>
  if (!got.data) return <p className="soft px-9 pb-1.5 text-[.93rem]">Looking …</p>
  const l = got.data.line
  return (
    <p className="px-9 pb-1.5 text-[.93rem]" role="status">
      {l ? <>Line {f.line}: {l.author}, <Ago at={l.authored} />: {l.subject} <CommitName hash={l.commit} link={l.link} /></> : <span className="soft">It is unknown: {got.data.words}.</span>}
    </p>
  )
}

function Folded({ frames, words }: { frames: Frame[]; words: string }) {
  return (
    <details>
      <summary className="soft px-3 py-1 hover:bg-base-200">{words}</summary>
      {frames.map((f, i) => (
        <div key={i} className="soft flex gap-3 px-9 py-0.5">
          <span className="mono truncate">{called(f)}</span>
          <span className="mono truncate">{f.file}{f.line ? `:${f.line}` : ''}</span>
        </div>
      ))}
    </details>
  )
}
