import type { Attributes } from './event.ts'

/** What carries a body to the service; it answers with the HTTP status, or fails. */
export type Send = (path: string, body: string, last: boolean) => Promise<{ status: number; retryAfter?: number }>

/** Where messages outlive the page or process. Loading fails where there is no store, saving where it is full. */
export interface Keeper {
  load(list: string): [id: string, text: string][]
  /** Only what persist hands over is kept: writing each message would cost too much. */
  late?: boolean
  save(list: string, id: string, text: string): void
  drop(list: string, id: string): void
}

export interface Waiting {
  id: string
  text: string
  /** Makes the text without what can be done without. */
  bare?: (() => string) | undefined
  /** It was handed over, and there is no answer yet. */
  handed?: boolean
  /** It lies in the store. */
  kept?: boolean
  /** It has its own resource: it was found in the store. */
  whole?: boolean
}

const batchEvents = 15
const batchBytes = 1 << 20
const retryable = [0, 429, 502, 503, 504]

/** Bytes of a text in UTF-8. */
const bytes = (text: string): number => new Blob([text]).size

/**
 * A bounded queue of messages of one list ("events", "sessions", "feedback"):
 * they leave in order, in batches; what was not taken is sent again with the
 * same ids, backing off. What waits is kept where the page or process can find
 * it when it starts again. When the queue is full the newest is dropped and
 * counted, and the service is told how many.
 */
export class Outbox {
  waiting: Waiting[] = []
  dropped: Record<string, number> = {}
  private underway: Promise<void> | undefined
  private timer: ReturnType<typeof setTimeout> | undefined
  private failures = 0
  private size = batchEvents
  readonly list: string
  private readonly room: number
  private readonly send: Send
  private readonly resource: () => Attributes
  private readonly answered: (status: number, n: number) => void
  private keeper: Keeper | undefined

  constructor(
    list: string,
    room: number,
    send: Send,
    resource: () => Attributes,
    answered: (status: number, n: number) => void,
    keeper?: Keeper,
  ) {
    this.list = list
    this.room = room
    this.send = send
    this.resource = resource
    this.answered = answered
    this.keeper = keeper
    try {
      this.waiting = (keeper?.load(list) ?? [])
        .slice(0, room)
        .map(([id, text]) => ({ id, text, kept: true, whole: true }))
    } catch {
      this.keeper = undefined // no store here: nothing is kept
    }
    if (this.waiting.length) this.later(0)
  }

  /** Takes a message; one with the id of another that waits takes its place. */
  put<M extends { id: string }>(message: M, bare?: () => object, wait = 100, id = message.id): void {
    const text = JSON.stringify(message)
    const entry: Waiting = { id, text, bare: bare && (() => JSON.stringify(bare())) }
    const i = this.waiting.findIndex((w) => w.id === entry.id)
    if (i >= 0) this.waiting[i] = entry
    else if (this.waiting.length >= this.room) {
      this.lose('queue_full')
      return
    } else this.waiting.push(entry)
    if (!this.keeper?.late) this.keep(entry)
    if (!this.timer && !this.underway) this.later(wait)
  }

  keep(w: Waiting): boolean {
    if (w.kept) return true
    try {
      // Another page may send it, with another release: what it needs goes along.
      this.keeper?.save(
        this.list,
        w.id,
        w.whole ? w.text : `${w.text.slice(0, -1)},"resource":${JSON.stringify(this.resource())}}`,
      )
      return (w.kept = !!this.keeper)
    } catch {
      return false // The store is full or forbidden: memory has to do.
    }
  }

  private lose(cause: string): void {
    this.dropped[cause] = (this.dropped[cause] ?? 0) + 1
  }

  private later(ms: number): void {
    clearTimeout(this.timer)
    this.timer = setTimeout(() => void this.flush(), ms)
    // In Node what waits must not keep the process alive by itself.
    ;(this.timer as { unref?: () => void }).unref?.()
  }

  body(texts: string[]): string {
    const head = JSON.stringify({
      sent: new Date().toISOString(),
      resource: this.resource(),
      ...(Object.keys(this.dropped).length ? { dropped: this.dropped } : {}),
    })
    return `${head.slice(0, -1)},"${this.list}":[${texts.join()}]}`
  }

  /** Sends what waits, at once, until nothing does or the service does not take it. */
  flush(): Promise<void> {
    clearTimeout(this.timer)
    this.timer = undefined
    return (this.underway ??= this.run().finally(() => {
      this.underway = undefined
    }))
  }

  private async run(): Promise<void> {
    while (this.waiting.length) {
      let size = 0
      const part = this.waiting.slice(0, this.size).filter((w, i) => (size += w.text.length) < batchBytes || i === 0)
      const told = { ...this.dropped }
      let answer: { status: number; retryAfter?: number }
      try {
        answer = await this.send(this.list, this.body(part.map((w) => w.text)), false)
      } catch {
        answer = { status: 0 }
      }
      const { status } = answer
      this.answered(status, part.length)
      // A 200 is not the service's: something between answers in its place.
      if (retryable.includes(status) || (status < 400 && status !== 202)) {
        this.failures++
        this.later(
          Math.max(
            (answer.retryAfter ?? 0) * 1000,
            Math.min(60_000, 500 * 2 ** this.failures) * (0.75 + Math.random() / 2),
          ),
        )
        return
      }
      this.failures = 0
      if (status === 413 && part.length > 1) {
        this.size = 1
        continue
      }
      if (status === 202) for (const k in told) if (!(this.dropped[k]! -= told[k]!)) delete this.dropped[k]
      if (status >= 400) for (const _ of part) this.lose('refused')
      this.taken(part)
    }
    this.size = batchEvents
  }

  taken(part: Waiting[]): void {
    // One that was replaced meanwhile is not what was sent.
    this.waiting = this.waiting.filter((w) => !part.includes(w))
    for (const { id, kept } of part)
      if (kept && !this.waiting.some((w) => w.id === id)) this.keeper?.drop(this.list, id)
  }

  /**
   * Hands over at once what fits into so many bytes, for a page or process that
   * is about to end: the newest first, bare if need be. The rest stays kept.
   * Returns the bytes used.
   */
  handOver(most: number): number {
    const part: Waiting[] = []
    const texts: string[] = []
    let size = bytes(this.body([]))
    for (const w of this.waiting.toReversed()) {
      if (w.handed) continue // hidden, then left: two calls for one end
      const text = [() => w.text, w.bare].map((make) => make?.()).find((t) => t && size + bytes(t) + 1 <= most)
      if (!text) continue
      size += bytes(text) + 1
      w.handed = true
      part.unshift(w)
      texts.unshift(text)
    }
    if (!part.length) return 0
    // A page that was only hidden comes back: what was not taken still waits.
    const back = () => part.forEach((w) => (w.handed = false))
    this.send(this.list, this.body(texts), true).then(
      ({ status }) => (status === 202 ? this.taken(part) : back()),
      back,
    )
    return size
  }
}
