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
    const body = plan.body
      .replace('"@time"', JSON.stringify(new Date(hung).toISOString()))
      .replace('"@sent"', JSON.stringify(new Date().toISOString()))
    void fetch(plan.url, { method: 'POST', headers: { 'Content-Type': 'text/plain' }, credentials: 'omit', body })
  }
}, 250)
