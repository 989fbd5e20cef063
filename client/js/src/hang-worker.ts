/**
 * The worker that listens for the heartbeat of a page. It is bundled as a text
 * of its own, so it imports nothing but types.
 */
export {}
interface Plan {
  /** After how long without a beat (milliseconds) the page hangs, and after how long it is given up. */
  after: number
  givenUp: number
  url: string
  /** The report of a page that is given up; "@time" and "@sent" stand for times. */
  body: string
}
let last = 0
let woke = Date.now()
let plan: Plan | undefined
let hung = 0
let told = false

onmessage = ({ data }: MessageEvent<{ plan?: Plan; pause?: boolean }>) => {
  plan = data.plan ?? plan
  if (data.pause) {
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
    void send(plan, hung, 1)
  }
}, 250)

/** Sends the report of a page that is given up. Nobody else is left to send again what was not taken. */
async function send(p: Plan, from: number, attempt: number): Promise<void> {
  const time = (t: number) => JSON.stringify(new Date(t).toISOString())
  const body = p.body.replace('"@time"', time(from)).replace('"@sent"', time(Date.now()))
  const status = await fetch(p.url, {
    method: 'POST',
    headers: { 'Content-Type': 'text/plain' },
    credentials: 'omit',
    body,
    signal: AbortSignal.timeout?.(10_000),
  }).then(
    (r) => r.status,
    () => 503, // away
  )
  if ([429, 502, 503, 504].includes(status) && attempt < 6)
    setTimeout(() => void send(p, from, attempt + 1), 1000 * 2 ** attempt)
}
