import { Worker } from 'node:worker_threads'
import type { Client } from './client.ts'
import { endpoint } from './client.ts'
import thread from 'text:./exit-thread.ts'

/** How many messages of a list are sent at the end. */
const maxParting = 60

/**
 * Sends what waits from a thread, while the caller stands still for at most so
 * many milliseconds: a process that ends has no more turns. What was stored is
 * waiting no more.
 */
export function sendStandingStill(client: Client, ms: number): void {
  const o = client.options!
  const boxes = [client.events, client.sessions].filter((b) => b.waiting.length)
  if (!boxes.length || ms <= 0) return
  const state = new Int32Array(new SharedArrayBuffer(4 * (boxes.length + 1)))
  const parts = boxes.map((b) => b.waiting.slice(0, maxParting))
  const bodies = boxes.map((b, i) => [b.list, b.body(parts[i]!.map((w) => w.text))])
  const url = endpoint(o, '').replace(/\/$/, '')
  const worker = new Worker(thread, {
    eval: true,
    workerData: { shared: state.buffer, url, key: o.key, bodies },
    execArgv: [],
    env: {},
    stdin: false,
  })
  worker.on('error', () => undefined) // what was to be sent is on disk, if there is one
  worker.unref()
  Atomics.wait(state, 0, 0, ms)
  boxes.forEach((b, i) => {
    if (Atomics.load(state, i + 1) === 202) b.taken(parts[i]!)
  })
}
