import inspector from 'node:inspector'
import { Worker } from 'node:worker_threads'
import { endpoint } from './client.ts'
import type { Client } from './client.ts'
import type { ReportedEvent } from './event.ts'
import { hangEvent } from './hang.ts'

/** Where the main thread leaves the function that makes the event of a hang. */
const hook = Symbol.for('firethorn.hang')

/** What the worker thread does. It runs as text, so it stands alone. */
function listener(): void {
  // No import and no require: what bundles this must find nothing to tie it to.
  const { workerData } = process.getBuiltinModule('node:worker_threads')
  const { Session } = process.getBuiltinModule('node:inspector')
  const { shared, after, url, key } = workerData
  const beats = new Int32Array(shared)
  let seen = -1
  let since = Date.now()
  let woke = Date.now()
  let told = false
  setInterval(() => {
    const now = Date.now()
    const slept = now - woke > after // the machine did, and this thread with it
    woke = now
    if (slept || Atomics.load(beats, 0) !== seen) {
      seen = Atomics.load(beats, 0)
      since = now
      told = false
    } else if (!told && now - since > after) {
      told = true
      look(new Date(since).toISOString())
    }
  }, Math.min(500, after / 4))

  function look(time: string): void {
    const s = new Session()
    s.connectToMainThread()
    const files: Record<string, string> = {}
    s.on('Debugger.scriptParsed', ({ params }: { params: { scriptId: string; url: string } }) => {
      files[params.scriptId] = params.url
    })
    const done = () => s.post('Debugger.disable', () => s.disconnect())
    s.on('Debugger.paused', ({ params }: { params: { callFrames: any[] } }) => {
      const frames = params.callFrames
      // It has come back meanwhile: where it is now says nothing of where it was.
      if (Atomics.load(beats, 0) !== seen || !frames.length) {
        s.post('Debugger.resume', done)
        return
      }
      const stack = frames.map((f) => `\n    at ${f.functionName || '<anonymous>'} (${f.url || files[f.location.scriptId] || 'native'}:${f.location.lineNumber + 1}:${(f.location.columnNumber ?? 0) + 1})`).join('')
      const expression = `globalThis[Symbol.for('firethorn.hang')](${JSON.stringify(stack)}, ${JSON.stringify(time)})`
      s.post('Debugger.evaluateOnCallFrame', { callFrameId: frames[0].callFrameId, expression, returnByValue: true }, (_: unknown, got: any) => {
        s.post('Debugger.resume', done)
        const body = got?.result?.value
        if (typeof body === 'string') void send(body, 1)
      })
    })
    s.post('Debugger.enable', () => s.post('Debugger.pause'))
  }

  async function send(body: string, attempt: number): Promise<void> {
    let status = 503
    try {
      status = (await fetch(url, { method: 'POST', body, headers: { 'Content-Type': 'application/json', Authorization: `Bearer ${key}` }, signal: AbortSignal.timeout(10_000) })).status
    } catch {
      // away
    }
    if ([429, 502, 503, 504].includes(status) && attempt < 6) setTimeout(() => void send(body, attempt + 1), 1000 * 2 ** attempt)
  }
}

/** Watches for an event loop that gives nothing else a turn for so long (milliseconds): the inspector tells where it stands. */
export function watchHangs(client: Client, after: number): void {
  if (inspector.url()) return // somebody debugs: pauses are no hangs
  const shared = new SharedArrayBuffer(4)
  const beats = new Int32Array(shared)
  const o = client.options!
  ;(globalThis as Record<symbol, unknown>)[hook] = (stack: string, time: string): string | undefined => {
    const own = stack.split('\n').filter((l) => !l.includes('firethorn.hang')).join('\n')
    client.scope().session?.raise('faulty')
    const e = hangEvent(client, 'the event loop was blocked', own, time)
    return e && JSON.stringify({ sent: new Date().toISOString(), resource: client.resource, events: [e] satisfies ReportedEvent[] })
  }
  const worker = new Worker(`(${listener.toString()})()`, { eval: true, workerData: { shared, after, url: endpoint(o, 'events'), key: o.key }, execArgv: [], stdin: false })
  worker.unref()
  worker.on('error', () => undefined) // without it nothing is watched, and nothing else is lost
  setInterval(() => Atomics.add(beats, 0, 1), Math.min(500, after / 4)).unref()
}
