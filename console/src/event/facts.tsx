import { traceAt } from '../core/address.ts'
import { Link } from 'react-router'
import type { Breadcrumb, EventDetail } from '../api/client.ts'
import { before, exact, lasted } from '../core/format.ts'
import { groupFacts } from '../core/trace.ts'

const marks: Record<string, string> = { page: '→', input: '☞', call: '⇄', log: '≡', app: '•' }

/** What led up to the error: oldest on top, the time before it at the left. */
export function Breadcrumbs({ event }: { event: EventDetail }) {
  if (event.breadcrumbs.length === 0) return <p className="soft">This event has no breadcrumbs.</p>
  return (
    <ol className="panel py-1">
      {event.breadcrumbs.map((b, i) => (
        <li key={i} className="grid grid-cols-[4.5rem_5rem_1fr] gap-x-3 px-3 py-0.5">
          <span className="soft text-right" title={b.time ? exact(b.time) : undefined}>{before(b.time, event.time)}</span>
          <span className="soft">
            <span aria-hidden="true">{marks[b.kind ?? ''] ?? '·'} </span>
            {b.kind}
          </span>
          <span className={`min-w-0 break-words ${b.severity === 'error' ? 'hurts' : b.severity === 'warn' ? 'text-warning' : ''}`}>
            {b.message}
            <CrumbFacts message={b.message} attributes={b.attributes} />
          </span>
        </li>
      ))}
      <li className="grid grid-cols-[4.5rem_5rem_1fr] gap-x-3 px-3 py-0.5 font-semibold">
        <span className="soft text-right">0</span>
        <span />
        <span className="hurts">here it broke</span>
      </li>
    </ol>
  )
}

// What the message of a request says already.
const inMessage = new Set(['http.request.method', 'http.response.status_code', 'url.full'])

/** The attributes of a breadcrumb, one after the other, but for what its message says. */
function CrumbFacts({ message, attributes }: { message: string | undefined; attributes: Breadcrumb['attributes'] }) {
  const facts = Object.entries(attributes ?? {}).filter(([name, value]) => !(inMessage.has(name) && message?.includes(String(value))))
  if (facts.length === 0) return null
  return (
    <span className="soft mono ml-2 text-[.85rem]">
      {facts.map(([name, value], i) => (
        <span key={name}>{i > 0 && ' · '}{name} = {typeof value === 'string' ? value : JSON.stringify(value)}</span>
      ))}
    </span>
  )
}

/** The trace an event belongs to, the span that recorded it, and the log record it was found in. */
function Signals({ event }: { event: EventDetail }) {
  const rows: [string, string][] = []
  if (event.span_id) rows.push(['span', event.span_id + (event.span?.name ? ` (${[event.span.name, event.span.kind].filter(Boolean).join(', ')})` : '')])
  if (event.span?.parent_span_id) rows.push(['parent span', event.span.parent_span_id])
  if (event.scope) rows.push(['scope', event.scope])
  if (event.log?.severity_text) rows.push(['severity', event.log.severity_text])
  if (event.log?.name) rows.push(['record', event.log.name])
  if (!event.trace_id && !event.log && rows.length === 0) return null
  return (
    <section className="panel p-3">
      <h4 className="mb-1 font-semibold">{event.log ? 'Trace and log' : 'Trace'}</h4>
      <dl className="grid grid-cols-[minmax(8rem,max-content)_minmax(0,1fr)] gap-x-3">
        {event.trace_id && (
          <div className="contents">
            <dt className="soft mono">trace</dt>
            <dd className="mono break-words">
              {event.trace_id} · <Link className="link" to={traceAt(event.trace_id)}>all its events</Link>
            </dd>
          </div>
        )}
        {rows.map(([name, value]) => (
          <div key={name} className="contents">
            <dt className="soft mono">{name}</dt>
            <dd className="mono break-words">{value}</dd>
          </div>
        ))}
        {event.log?.text && (
          <div className="contents">
            <dt className="soft mono">log says</dt>
            <dd className="break-words whitespace-pre-wrap">{event.log.text}</dd>
          </div>
        )}
      </dl>
    </section>
  )
}

/** The run of the application that the event happened in. */
function Run({ event }: { event: EventDetail }) {
  const s = event.session
  if (!s) return null
  const rows: [string, string][] = [['outcome', s.outcome], ['started', exact(s.started)], ['lasted', lasted(s.duration_ms)], ['this event', `${lasted(Math.max(0, Date.parse(event.time) - Date.parse(s.started)))} after its start`]]
  return (
    <section className="panel p-3">
      <h4 className="mb-1 font-semibold">Session</h4>
      <dl className="grid grid-cols-[minmax(8rem,max-content)_minmax(0,1fr)] gap-x-3">
        {rows.map(([name, value]) => (
          <div key={name} className="contents">
            <dt className="soft mono">{name}</dt>
            <dd className="mono break-words">{value}</dd>
          </div>
        ))}
      </dl>
    </section>
  )
}

/** The event's facts, by what people ask for. */
export function Facts({ event }: { event: EventDetail }) {
  return (
    <>
      <div className="grid gap-4 md:grid-cols-2">
        <Signals event={event} />
        <Run event={event} />
        {groupFacts(event.resource, event.attributes).map((g) => (
          <section key={g.name} className="panel p-3">
            <h4 className="mb-1 font-semibold">{g.name}</h4>
            <dl className="grid grid-cols-[minmax(8rem,max-content)_minmax(0,1fr)] gap-x-3">
              {g.facts.map((f) => (
                <div key={f.name} className="contents">
                  <dt className="soft mono">{f.name}</dt>
                  <dd className="mono break-words">{f.value}</dd>
                </div>
              ))}
            </dl>
          </section>
        ))}
      </div>
      {event.state !== undefined && (
        <section className="mt-4 panel p-3">
          <h4 className="mb-1 font-semibold">State of the application</h4>
          <pre className="overflow-x-auto" tabIndex={0} aria-label="State of the application">{JSON.stringify(event.state, null, 2)}</pre>
        </section>
      )}
      {event.extra && (
        <section className="mt-4 panel p-3">
          <h4 className="mb-1 font-semibold">Fields that the event format does not know</h4>
          <pre className="overflow-x-auto" tabIndex={0} aria-label="Fields that the event format does not know">{JSON.stringify(event.extra, null, 2)}</pre>
        </section>
      )}
      {event.scrubbed.length > 0 && (
        <section className="mt-4 panel p-3">
          <h4 className="mb-1 font-semibold">Scrubbed</h4>
          <ul>
            {event.scrubbed.map((s) => (
              <li key={s.where + s.rule + s.by} className="grid grid-cols-[minmax(8rem,max-content)_minmax(0,1fr)] gap-x-3">
                <span className="soft mono">{s.where}</span>
                <span>
                  by <b>{s.rule}</b>
                  {s.count > 1 && `, ${s.count} times`}
                  {s.by === 'client' && ', before it was sent'}
                </span>
              </li>
            ))}
          </ul>
        </section>
      )}
      {event.notes.length > 0 && (
        <ul className="mt-3 list-inside list-disc text-warning">
          {event.notes.map((n) => (
            <li key={n}>{n}</li>
          ))}
        </ul>
      )}
    </>
  )
}
