import { newID } from './event.ts'
import type { Outbox } from './outbox.ts'
import type { Outcome } from './session.ts'

const minute = 60_000

/**
 * So many requests that went wrong are told of one by one in a minute, so that their events show the session
 * they belong to.
 */
export const maxAlone = 50

/**
 * Counts the sessions of requests: one message a minute, however many requests
 * there are (docs/event-format.md, "Counted sessions"). Durations are counted
 * in buckets that grow by a tenth each: a quantile is at most 5 % off.
 */
export class Counts {
  private readonly id = newID()
  private sequence = 0
  private at = 0
  private counts: Partial<Record<Outcome, number>> = {}
  private durations = new Map<number, number>()
  private alone = 0
  private timer: ReturnType<typeof setTimeout> | undefined
  private readonly box: () => Outbox

  constructor(box: () => Outbox) {
    this.box = box
  }

  /** Whether one more request can be told of by itself. */
  room(): boolean {
    this.turn(Date.now())
    return this.alone++ < maxAlone
  }

  /** Counts a request that ended so, after so many milliseconds. */
  add(outcome: Outcome, ms: number): void {
    this.turn(Date.now())
    this.counts[outcome] = (this.counts[outcome] ?? 0) + 1
    const bucket = Math.floor(Math.log(Math.max(1, ms)) / Math.log(1.1))
    this.durations.set(bucket, (this.durations.get(bucket) ?? 0) + 1)
    if (this.timer) return
    this.timer = setTimeout(() => this.flush(), this.at + minute - Date.now())
    ;(this.timer as { unref?: () => void }).unref?.()
  }

  private turn(now: number): void {
    const at = now - (now % minute)
    if (at === this.at) return
    this.flush()
    this.at = at
    this.alone = 0
  }

  /** Hands over what is counted. */
  flush(): void {
    clearTimeout(this.timer)
    this.timer = undefined
    if (!this.durations.size) return
    const message = {
      id: this.id,
      sequence: this.sequence++,
      minute: new Date(this.at).toISOString(),
      counts: this.counts,
      duration_ms: { p50: this.quantile(0.5), p95: this.quantile(0.95) },
    }
    this.counts = {}
    this.durations = new Map()
    this.box().put(message, undefined, 100, newID())
  }

  private quantile(q: number): number {
    let left = Math.ceil(q * [...this.durations.values()].reduce((a, b) => a + b, 0))
    for (const [bucket, n] of [...this.durations].sort((a, b) => a[0] - b[0]))
      if ((left -= n) <= 0) return Math.round(1.1 ** (bucket + 0.5))
    return 0
  }
}
