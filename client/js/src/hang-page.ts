import { endpoint } from './client.ts'
import { sendable } from './event.ts'
import { hangEvent, leanHang } from './hang.ts'
import { client, page, plainFetch } from './page.ts'
import listener from 'text:./hang-worker.ts'

const words = 'the main thread was blocked'

/** A page that hangs so long may never come back: the worker tells of it by itself, without a stack. */
const givenUp = 12_000

interface LongFrame extends PerformanceEntry {
  scripts: {
    duration: number
    sourceURL: string
    sourceFunctionName: string
    sourceCharPosition: number
    invoker: string
  }[]
}

interface Sampled {
  frames: { name: string; resourceId?: number; line?: number; column?: number }[]
  resources: string[]
  stacks: { parentId?: number; frameId: number }[]
  samples: { timestamp: number; stackId?: number }[]
}

interface Sampler extends EventTarget {
  stop(): Promise<Sampled>
}

/**
 * Watches for a main thread that gives nothing else a turn for so long
 * (milliseconds), and reports it with the stack where the browser gives one. A
 * worker listens for the page's heartbeat, so that a page that never comes back
 * is told of too. Without a worker the browser's own word on long frames has to
 * do (Chromium).
 */
export function watchHangs(after: number): void {
  const samples = sampling(after)
  const frames: LongFrame[] = []
  let alone = client.options!.hangWorker === false
  longFrames((f) => {
    if (f.duration <= after / 2) return
    frames.push(f)
    frames.splice(0, frames.length - 5)
    if (alone && f.duration > after)
      void tell(
        performance.timeOrigin + f.startTime,
        performance.timeOrigin + f.startTime + f.duration,
        samples,
        frames,
      )
  })
  if (!alone)
    watchByWorker(
      after,
      (from, to) => void tell(from, to, samples, frames),
      () => (alone = true),
    )
}

function longFrames(seen: (f: LongFrame) => void): void {
  try {
    new PerformanceObserver((list) => (list.getEntries() as LongFrame[]).forEach(seen)).observe({
      type: 'long-animation-frame',
      buffered: true,
    })
  } catch {
    // not told by this browser
  }
}

function watchByWorker(after: number, back: (from: number, to: number) => void, failed: () => void): void {
  const url = URL.createObjectURL(new Blob([listener], { type: 'text/javascript' }))
  const worker = new Worker(url)
  URL.revokeObjectURL(url)
  const every = Math.min(1000, after / 4)
  const visible = () => document.visibilityState === 'visible'
  const o = client.options!
  let known = ''
  const beat = () => {
    if (!visible()) return
    worker.postMessage({})
    // What the worker would send is made anew when it says something else: an idle page does nothing.
    const now = `${location.href} ${JSON.stringify(sendable(page.attributes))}`
    if (now === known) return
    known = now
    worker.postMessage({
      plan: {
        after,
        givenUp: Math.max(givenUp, 2 * after),
        url: `${endpoint(o, 'events')}?key=${encodeURIComponent(o.key)}`,
        body: leanHang(client, words),
      },
    })
  }
  const timer = setInterval(beat, every)
  beat()
  document.addEventListener('visibilitychange', () => worker.postMessage(visible() ? {} : { pause: true }))
  worker.onerror = (e) => {
    e.preventDefault()
    clearInterval(timer)
    failed()
    if (o.debug)
      console.debug('[firethorn] no worker watches the page: its Content-Security-Policy lacks worker-src blob:')
  }
  worker.onmessage = ({ data }: MessageEvent<{ from: number; told: boolean }>) => {
    if (!data.told) back(data.from, Date.now())
  }
}

/** Reports a hang that is over. */
async function tell(from: number, to: number, samples: Samples, frames: LongFrame[]): Promise<void> {
  await new Promise((done) => setTimeout(done, 300)) // the browser tells of the long frame after it
  const stack = (await samples(from)) ?? (await entryOf(frames, from - performance.timeOrigin)) ?? ''
  client.guard(() => {
    client.scope().session?.raise('faulty')
    const e = hangEvent(client, words, stack, new Date(from).toISOString())
    if (e) client.events.put({ ...e, attributes: { ...e.attributes, 'hang.duration_ms': Math.round(to - from) } })
  })
}

type Samples = (from: number) => Promise<string | undefined>

/** The stack that was seen most often during the hang, where the page's Document-Policy lets a page look at itself. */
function sampling(after: number): Samples {
  // Without the policy a browser complains to the console: the application has to say.
  const make = !client.options!.hangStacks
    ? undefined
    : (globalThis as { Profiler?: new (o: { sampleInterval: number; maxBufferSize: number }) => Sampler }).Profiler
  const begin = (): Sampler | undefined => {
    try {
      return make && new make({ sampleInterval: 50, maxBufferSize: Math.max(400, after / 10) })
    } catch {
      return undefined // the policy does not let it
    }
  }
  let now = begin()
  if (!now) return async () => undefined
  // A full buffer ends a sampler: the next one begins before.
  const turn = setInterval(
    () => {
      void now?.stop().catch(() => undefined)
      now = begin()
      if (!now) clearInterval(turn)
    },
    Math.max(15_000, after * 3),
  )
  return async (from) => {
    const trace = await now?.stop().catch(() => undefined)
    now = begin()
    if (!trace) return undefined
    const seen = new Map<number, number>()
    for (const s of trace.samples)
      if (s.stackId !== undefined && s.timestamp >= from - performance.timeOrigin)
        seen.set(s.stackId, (seen.get(s.stackId) ?? 0) + 1)
    const [most] = [...seen].sort((a, b) => b[1] - a[1])
    let out = ''
    for (
      let at = most && trace.stacks[most[0]];
      at;
      at = at.parentId === undefined ? undefined : trace.stacks[at.parentId]
    ) {
      const f = trace.frames[at.frameId]!
      out += `\n    at ${f.name || '<anonymous>'} (${f.resourceId === undefined ? 'native' : trace.resources[f.resourceId]}${f.line ? `:${f.line}:${f.column ?? 1}` : ''})`
    }
    return out || undefined
  }
}

/** The script that the browser says ran longest: where it was entered. */
async function entryOf(frames: LongFrame[], from: number): Promise<string | undefined> {
  const scripts = frames.filter((f) => f.startTime + f.duration > from).flatMap((f) => f.scripts)
  const s = scripts.sort((a, b) => b.duration - a.duration)[0]
  if (!s?.sourceURL) return undefined
  let place = ''
  try {
    // A character's number says nothing to a source map: lines and columns do.
    const text = await (await plainFetch(s.sourceURL, { cache: 'force-cache' })).text()
    const lines = text.slice(0, s.sourceCharPosition).split('\n')
    place = `:${lines.length}:${lines.at(-1)!.length + 1}`
  } catch {
    // the file alone, then
  }
  return `\n    at ${s.sourceFunctionName || `<anonymous> [${s.invoker}]`} (${s.sourceURL}${place})`
}
