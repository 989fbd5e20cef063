import { endpoint } from './client.ts'
import { hangEvent } from './hang.ts'
import { client, plainFetch } from './page.ts'

const words = 'the main thread was blocked'

/** A page that hangs so long may never come back: the worker tells of it by itself, without a stack. */
const givenUp = 12_000

/** What the worker does: it listens for the page's heartbeat. It is sent as text, so it stands alone. */
function listener(): void {
  let last = 0
  let woke = Date.now()
  let plan: { every: number; after: number; givenUp: number; url: string; body: string } | undefined
  let hung = 0
  let told = false
  onmessage = (e: MessageEvent) => {
    if (e.data.plan) plan = e.data.plan
    if (e.data.pause) {
      last = hung = 0
      return
    }
    if (hung) postMessage({ from: hung, told })
    hung = 0
    told = false
    last = Date.now()
  }
  setInterval(() => {
    const now = Date.now()
    if (!plan) return
    // The machine slept, and this worker with it.
    if (now - woke > plan.after) last &&= now
    woke = now
    if (last && now - last > plan.after) hung = last
    if (hung && !told && now - hung > plan.givenUp) {
      told = true
      void fetch(plan.url, { method: 'POST', headers: { 'Content-Type': 'text/plain' }, credentials: 'omit', body: plan.body.replace('"@time"', JSON.stringify(new Date(hung).toISOString())).replace('"@sent"', JSON.stringify(new Date().toISOString())) })
    }
  }, 250)
}

interface LongFrame extends PerformanceEntry {
  scripts: { duration: number; sourceURL: string; sourceFunctionName: string; sourceCharPosition: number; invoker: string }[]
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

/** Watches for a main thread that gives nothing else a turn for so long (milliseconds), and reports it with the stack where the browser gives one. */
export function watchHangs(after: number): void {
  const url = URL.createObjectURL(new Blob([`(${listener.toString()})()`], { type: 'text/javascript' }))
  const worker = new Worker(url)
  URL.revokeObjectURL(url)
  const frames: LongFrame[] = []
  try {
    new PerformanceObserver((list) => {
      frames.push(...(list.getEntries() as LongFrame[]).filter((f) => f.duration > after / 2))
      frames.splice(0, frames.length - 5)
    }).observe({ type: 'long-animation-frame', buffered: true })
  } catch {
    // not told by this browser
  }
  const samples = sampling(after)
  const every = Math.min(1000, after / 4)
  const beat = () => {
    const o = client.options!
    const e = hangEvent(client, words, '', '@time')
    const body = JSON.stringify({ sent: '@sent', resource: client.resource, events: e ? [e] : [] })
    worker.postMessage({ pause: document.visibilityState !== 'visible', plan: { every, after, givenUp: Math.max(givenUp, 2 * after), url: `${endpoint(o, 'events')}?key=${encodeURIComponent(o.key)}`, body } })
  }
  setInterval(() => {
    if (document.visibilityState === 'visible') worker.postMessage({})
  }, every)
  setInterval(() => client.guard(beat), 10_000)
  beat()
  document.addEventListener('visibilitychange', () => worker.postMessage(document.visibilityState === 'visible' ? {} : { pause: true }))
  worker.onmessage = async ({ data }: MessageEvent<{ from: number; told: boolean }>) => {
    const to = Date.now()
    if (data.told) return
    await new Promise((done) => setTimeout(done, 300)) // the browser tells of the long frame after it
    const stack = (await samples(data.from)) ?? (await entryOf(frames, data.from - performance.timeOrigin)) ?? ''
    client.guard(() => {
      client.scope().session?.raise('faulty')
      const e = hangEvent(client, words, stack, new Date(data.from).toISOString())
      if (e) client.events.put({ ...e, attributes: { ...e.attributes, 'hang.duration_ms': to - data.from } })
    })
  }
}

/** The stack that was seen most often during the hang, where the page's Document-Policy lets a page look at itself. */
function sampling(after: number): (from: number) => Promise<string | undefined> {
  // Without the policy a browser complains to the console: the application has to say.
  const make = !client.options!.hangStacks ? undefined : (globalThis as { Profiler?: new (o: { sampleInterval: number; maxBufferSize: number }) => Sampler }).Profiler
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
  const turn = setInterval(() => {
    void now?.stop().catch(() => undefined)
    now = begin()
    if (!now) clearInterval(turn)
  }, Math.max(15_000, after * 3))
  return async (from) => {
    const trace = await now?.stop().catch(() => undefined)
    now = begin()
    if (!trace) return undefined
    const seen = new Map<number, number>()
    for (const s of trace.samples) if (s.stackId !== undefined && s.timestamp >= from - performance.timeOrigin) seen.set(s.stackId, (seen.get(s.stackId) ?? 0) + 1)
    const [most] = [...seen].sort((a, b) => b[1] - a[1])
    let out = ''
    for (let at = most && trace.stacks[most[0]]; at; at = at.parentId === undefined ? undefined : trace.stacks[at.parentId]) {
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
