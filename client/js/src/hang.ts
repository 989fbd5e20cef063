import type { Client } from './client.ts'
import { newID, sendable } from './event.ts'
import type { ReportedEvent } from './event.ts'

/** The event of a hang, as it leaves. */
export function hangEvent(c: Client, message: string, stack: string, time: string): ReportedEvent | undefined {
  return c.finish({
    ...c.event({}, 'error'),
    time,
    exceptions: [{ type: 'Hang', message, stack: `Hang: ${message}${stack}` }],
  })
}

/**
 * A request that tells of a hang without asking the application anything: no
 * edit and no snapshot, and so nothing that edit might hide. "@time" and
 * "@sent" stand for times.
 */
export function leanHang(c: Client, message: string): string {
  const { attributes, session } = c.scope()
  const around = c.options!.edit ? {} : { ...c.facts(), ...attributes }
  const e: ReportedEvent = {
    id: newID(),
    time: '@time',
    severity: 'error',
    exceptions: [{ type: 'Hang', message }],
    breadcrumbs: [],
    attributes: sendable({ ...around, ...(session ? { 'session.id': session.id } : {}) }),
  }
  const { scrub } = c.options!
  return JSON.stringify({ sent: '@sent', resource: c.resource, events: [scrub === false ? e : c.scrub!(e, scrub)] })
}
