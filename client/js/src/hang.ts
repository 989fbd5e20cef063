import type { Client } from './client.ts'
import type { ReportedEvent } from './event.ts'

/** The event of a hang, as it leaves. */
export function hangEvent(c: Client, message: string, stack: string, time: string): ReportedEvent | undefined {
  return c.finish({ ...c.event({}, 'error'), time, exceptions: [{ type: 'Hang', message, stack: `Hang: ${message}${stack}` }] })
}
