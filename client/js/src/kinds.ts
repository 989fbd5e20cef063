/** Of one kind so many are sent at once within a span, the rest is counted. */
const mostAtOnce = 5
const span = 10_000
const mostKinds = 200
const mostStandsFor = 10_000

interface Kind<E> {
  began: number
  sent: number
  id: string
  /** The first of those held back, which stands for them. */
  held?: E | undefined
  count: number
  /** There were too many: what is held back is told soon, and not with the next of its share. */
  flood?: boolean
}

/**
 * Lets the first of a kind through, always; of those that follow a share, and
 * never more than a few at a time. What is held back is counted: the next one
 * of its kind stands for it, or the last one does when the span is over. So a
 * loop that fails ten thousand times a second costs little and counts right.
 */
export class Kinds<E extends { id: string; stands_for?: number }> {
  private readonly kinds = new Map<string, Kind<E>>()
  private timer: ReturnType<typeof setTimeout> | undefined
  private readonly share: number
  private readonly send: (e: E) => void

  constructor(share: number, send: (e: E) => void) {
    this.share = share
    this.send = send
  }

  /** Takes one of a kind; make makes the event where it is needed. Returns the id of the one that tells of it. */
  take(key: string, make: () => E): string {
    const now = Date.now()
    let k = this.kinds.get(key)
    if (!k) {
      if (this.kinds.size >= mostKinds) this.evict()
      this.kinds.set(key, (k = { began: now, sent: 0, id: '', count: 0 }))
    } else if (now - k.began >= span) {
      k.began = now
      k.sent = 1 // the first of the kind was long ago
    }
    if (k.sent === 0 || (k.sent <= mostAtOnce && Math.random() < this.share)) {
      k.sent++
      const e = make()
      if (k.count) e.stands_for = Math.min(mostStandsFor, (e.stands_for ?? 1) + k.count)
      k.count = 0
      k.held = undefined
      k.id = e.id
      this.send(e)
      return e.id
    }
    k.count++
    k.held ??= make()
    k.flood ||= k.sent > mostAtOnce
    if (k.count >= mostStandsFor) this.tell(k)
    if (!this.timer) {
      this.timer = setTimeout(() => this.release(true), span)
      ;(this.timer as { unref?: () => void }).unref?.()
    }
    return k.id
  }

  private evict(): void {
    const [key, k] = this.kinds.entries().next().value!
    this.tell(k)
    this.kinds.delete(key)
  }

  private tell(k: Kind<E>): void {
    if (k.held) this.send({ ...k.held, stands_for: k.count })
    k.held = undefined
    k.count = 0
    k.flood = false
  }

  /**
   * Sends what is held back: one of each kind, standing for all. What is no flood waits for the next of its
   * share, or the end.
   */
  release(floods = false): void {
    clearTimeout(this.timer)
    this.timer = undefined
    for (const k of this.kinds.values()) if (k.flood || !floods) this.tell(k)
  }
}
