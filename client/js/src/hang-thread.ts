/**
 * The thread that watches the event loop of another. It is bundled as a text
 * of its own, so it imports nothing but types.
 */
export {}
/** A module of Node's own; the script runs as CommonJS, but what bundles it must not see a require. */
const builtin = (globalThis as unknown as { require: NodeJS.Require }).require
interface Plan {
  shared: SharedArrayBuffer
  after: number
  url: string
  key: string
  /** The event to send as it is, where the thread cannot be looked into; "@time" and "@sent" stand for times. */
  body?: string
}
const { workerData } = builtin('node:worker_threads') as { workerData: Plan }
const { shared, after, url, key, body } = workerData
const beats = new Int32Array(shared)
let seen = -1
let since = Date.now()
let woke = Date.now()
let told = false

setInterval(
  () => {
    const now = Date.now()
    const slept = now - woke > after // the machine did, and this thread with it
    woke = now
    if (slept || Atomics.load(beats, 0) !== seen) {
      seen = Atomics.load(beats, 0)
      since = now
      told = false
    } else if (!told && now - since > after) {
      told = true
      const time = new Date(since).toISOString()
      if (body)
        void send(
          body.replace('"@time"', JSON.stringify(time)).replace('"@sent"', JSON.stringify(new Date().toISOString())),
          1,
        )
      else look(time)
    }
  },
  Math.min(500, after / 4),
)

interface CallFrame {
  callFrameId: string
  functionName: string
  url: string
  location: { scriptId: string; lineNumber: number; columnNumber?: number }
}

/** Looks where the main thread stands, and lets it make the event itself. */
function look(time: string): void {
  const { Session } = builtin('node:inspector') as typeof import('node:inspector')
  const s = new Session()
  s.connectToMainThread()
  const files: Record<string, string> = {}
  s.on('Debugger.scriptParsed', ({ params }: { params: { scriptId: string; url: string } }) => {
    files[params.scriptId] = params.url
  })
  const done = () => s.post('Debugger.disable', () => s.disconnect())
  s.on('Debugger.paused', ({ params }) => {
    const frames = params.callFrames as unknown as CallFrame[]
    // It has come back meanwhile: where it is now says nothing of where it was.
    if (Atomics.load(beats, 0) !== seen || !frames[0]) {
      s.post('Debugger.resume', done)
      return
    }
    const stack = frames
      .map(
        (f) =>
          `\n    at ${f.functionName || '<anonymous>'} (${f.url || files[f.location.scriptId] || 'native'}:${f.location.lineNumber + 1}:${(f.location.columnNumber ?? 0) + 1})`,
      )
      .join('')
    const expression = `globalThis[Symbol.for('firethorn.hang')](${JSON.stringify(stack)}, ${JSON.stringify(time)})`
    s.post(
      'Debugger.evaluateOnCallFrame',
      { callFrameId: frames[0].callFrameId, expression, returnByValue: true },
      (_, got) => {
        s.post('Debugger.resume', done)
        const made = (got as { result?: { value?: unknown } } | undefined)?.result?.value
        if (typeof made === 'string') void send(made, 1)
      },
    )
  })
  s.post('Debugger.enable', () => s.post('Debugger.pause'))
}

async function send(text: string, attempt: number): Promise<void> {
  let status = 503
  try {
    status = (
      await fetch(url, {
        method: 'POST',
        body: text,
        headers: { 'Content-Type': 'application/json', Authorization: `Bearer ${key}` },
        signal: AbortSignal.timeout(10_000),
      })
    ).status
  } catch {
    // away
  }
  if ([429, 502, 503, 504].includes(status) && attempt < 6)
    setTimeout(() => void send(text, attempt + 1), 1000 * 2 ** attempt)
}
