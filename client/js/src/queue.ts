import type { Attributes, ReportedEvent } from './event.ts'

/** What carries a body to the service; it answers with the HTTP status, or fails. */
export type Send = (body: string, last: boolean) => Promise<{ status: number; retryAfter?: number }>

const room = 60
const batch = 15
const retryable = [429, 502, 503, 504]

/**
 * A bounded queue: events leave in order, in batches; what was not taken is
 * sent again with the same ids, backing off. When it is full the newest is
 * dropped and counted, and the service is told how many.
 */
export class Queue {
  waiting: ReportedEvent[] = []
  dropped = 0
  private underway: Promise<void> | undefined
  private timer: ReturnType<typeof setTimeout> | undefined
  private failures = 0
  private readonly send: Send
  private readonly resource: () => Attributes

  constructor(send: Send, resource: () => Attributes) {
    this.send = send
    this.resource = resource
  }

  add(e: ReportedEvent): void {
    if (this.waiting.length >= room) {
      this.dropped++
      return
    }
    this.waiting.push(e)
    if (!this.timer && !this.underway) this.later(100)
  }

  private later(ms: number): void {
    clearTimeout(this.timer)
    this.timer = setTimeout(() => {
      this.timer = undefined
      void this.flush()
    }, ms)
    // In Node a waiting report must not keep the process alive by itself.
    ;(this.timer as { unref?: () => void }).unref?.()
  }

  private body(events: ReportedEvent[]): string {
    return JSON.stringify({
      sent: new Date().toISOString(),
      resource: this.resource(),
      events,
      ...(this.dropped ? { dropped: { queue_full: this.dropped } } : {}),
    })
  }

  /** Sends what waits until nothing does or the service does not take it. */
  flush(last = false): Promise<void> {
    return (this.underway ??= this.run(last).finally(() => {
      this.underway = undefined
    }))
  }

  private async run(last: boolean): Promise<void> {
    while (this.waiting.length) {
      const part = this.waiting.slice(0, batch)
      const told = this.dropped
      let wait: number | undefined
      try {
        const { status, retryAfter } = await this.send(this.body(part), last)
        if (retryable.includes(status)) wait = retryAfter ?? 0
      } catch {
        wait = 0
      }
      if (wait !== undefined) {
        this.failures++
        this.later(Math.max(wait * 1000, Math.min(60_000, 500 * 2 ** this.failures) * (0.75 + Math.random() / 2)))
        return
      }
      this.failures = 0
      this.dropped -= told
      this.taken(part)
    }
  }

  private taken(part: ReportedEvent[]): void {
    this.waiting = this.waiting.filter((e) => !part.includes(e))
  }

  /** Hands what waits over at once, for a page or process that is about to end. */
  handOver(): void {
    for (let i = 0; i < this.waiting.length; i += batch) {
      const part = this.waiting.slice(i, i + batch)
      // A page that was only hidden comes back: what was not taken still waits.
      this.send(this.body(part), true).then(({ status }) => retryable.includes(status) || this.taken(part), () => undefined)
    }
  }
}
