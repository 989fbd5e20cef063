import { useState } from 'react'
import type { EventDetail, Thread } from '../api/client.ts'
import { counted } from '../core/format.ts'
import { Frames } from './trace.tsx'

/** So many are listed at first; the trace of each is drawn when it is opened. */
const atOnce = 50

/** Every thread or goroutine at the moment of the event, the blamed one first. */
export function Threads({ event, raw }: { event: EventDetail; raw: boolean }) {
  const list = event.threads ?? []
  const [shown, setShown] = useState(atOnce)
  if (list.length === 0) return null
  const go = event.resource['telemetry.sdk.language'] === 'go'
  return (
    <>
      <h3 className="mt-5 mb-2 font-semibold">{counted(list.length, go ? 'goroutine' : 'thread')} at that moment</h3>
      <div className="panel">
        {list.slice(0, shown).map((t, i) => (
          <OneThread key={i} thread={t} event={event.id} raw={raw} kind={go ? 'goroutine' : 'thread'} above={event.exceptions.some((x) => x.frames.length > 0)} />
        ))}
        {list.length > shown && (
          <button className="btn btn-ghost btn-sm m-1 font-normal" onClick={() => setShown(shown + atOnce)}>
            Show {Math.min(atOnce, list.length - shown)} more of {list.length - shown}
          </button>
        )}
      </div>
    </>
  )
}

function OneThread({ thread: t, event, raw, kind, above }: { thread: Thread; event: string; raw: boolean; kind: string; above: boolean }) {
  const own = t.frames.find((f) => f.kind === 'own') ?? t.frames[0]
  const [open, setOpen] = useState(t.blamed === true && !above)
  return (
    <details open={open} onToggle={(e) => setOpen(e.currentTarget.open)} className="border-b border-base-300/60 last:border-0">
      <summary className="flex flex-wrap items-baseline gap-x-3 px-3 py-1.5 hover:bg-base-200">
        <span className="font-semibold whitespace-nowrap">{kind} {t['thread.id']}{t['thread.name'] && ` ${t['thread.name']}`}</span>
        {t.blamed && <span className="hurts text-[.85rem]">blamed{above && ': its trace is above'}</span>}
        {t.waiting_on && <span>waiting on {t.waiting_on}</span>}
        {own && <span className="mono soft min-w-0 truncate">{own.function || own.file}</span>}
      </summary>
      {!open ? null : raw ? (
        <pre className="overflow-x-auto border-t border-base-300 p-3" tabIndex={0} aria-label={`${kind} ${t['thread.id'] ?? ''} as the runtime printed it`}>{t.stack || 'The runtime gave no trace.'}</pre>
      ) : (
        <Frames exception={t} event={event} />
      )}
    </details>
  )
}
