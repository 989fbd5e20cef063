import inspector from 'node:inspector'
import { isMainThread, Worker } from 'node:worker_threads'
import { endpoint } from './client.ts'
import type { Client } from './client.ts'
import type { ReportedEvent } from './event.ts'
import { hangEvent, leanHang } from './hang.ts'
import thread from 'text:./hang-thread.ts'

/** Where the main thread leaves the function that makes the event of a hang. */
const hook = Symbol.for('firethorn.hang')

const message = 'the event loop was blocked'

/**
 * Watches for an event loop that gives nothing else a turn for so long
 * (milliseconds). The inspector tells where the main thread stands. It cannot
 * look into a worker thread: a hang there is told without a stack.
 */
export function watchHangs(client: Client, after: number): void {
  if (inspector.url()) return // somebody debugs: pauses are no hangs
  const shared = new SharedArrayBuffer(4)
  const beats = new Int32Array(shared)
  const o = client.options!
  if (isMainThread) {
    ;(globalThis as Record<symbol, unknown>)[hook] = (stack: string, time: string): string | undefined => {
      const own = stack
        .split('\n')
        .filter((l) => !l.includes('firethorn.hang'))
        .join('\n')
      client.scope().session?.raise('faulty')
      const e = hangEvent(client, message, own, time)
      return (
        e &&
        JSON.stringify({
          sent: new Date().toISOString(),
          resource: client.resource,
          events: [e] satisfies ReportedEvent[],
        })
      )
    }
  }
  const plan = {
    shared,
    after,
    url: endpoint(o, 'events'),
    key: o.key,
    ...(isMainThread ? {} : { body: leanHang(client, message) }),
  }
  const worker = new Worker(thread, { eval: true, workerData: plan, execArgv: [], stdin: false })
  worker.unref()
  worker.on('error', () => undefined) // without it nothing is watched, and nothing else is lost
  setInterval(() => Atomics.add(beats, 0, 1), Math.min(500, after / 4)).unref()
}
