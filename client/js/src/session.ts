import type { Attributes } from './event.ts'
import { newID } from './event.ts'

export type Outcome = 'running' | 'clean' | 'faulty' | 'crashed'
const ranks: Outcome[] = ['running', 'clean', 'faulty', 'crashed']

/** How often a session that goes on is told of (milliseconds). */
export const heartbeat = 300_000

/** One run: of a page, a process, or a request. */
export class Session {
  readonly id = newID()
  private readonly began = Date.now()
  private sequence = 0
  outcome: Outcome = 'running'
  /** An event names it. */
  mentioned = false

  /** It stands so, or worse: faulty when something went wrong, clean or crashed when it ended. */
  raise(to: Outcome): void {
    if (ranks.indexOf(to) > ranks.indexOf(this.outcome)) this.outcome = to
  }

  get age(): number {
    return Math.max(0, Date.now() - this.began)
  }

  /** What is told of it now. */
  message(attributes: Attributes): { id: string } & Attributes {
    const user = Object.fromEntries(Object.entries(attributes).filter(([k]) => k.startsWith('user.')))
    return {
      id: this.id,
      sequence: this.sequence++,
      started: new Date(this.began).toISOString(),
      duration_ms: this.age,
      outcome: this.outcome,
      attributes: user,
    }
  }
}
