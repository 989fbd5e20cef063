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
  private outcome: Outcome = 'running'

  /** It goes on, but something went wrong. */
  fault(): void {
    this.raise('faulty')
  }

  /** It ended, so far as is known: without a fault it is clean. */
  end(outcome: Outcome = 'clean'): void {
    this.raise(outcome)
  }

  private raise(to: Outcome): void {
    if (ranks.indexOf(to) > ranks.indexOf(this.outcome)) this.outcome = to
  }

  /** What is told of it now. */
  message(attributes: Attributes): { id: string } & Attributes {
    const user = Object.fromEntries(Object.entries(attributes).filter(([k]) => k.startsWith('user.')))
    return { id: this.id, sequence: this.sequence++, started: new Date(this.began).toISOString(), duration_ms: Math.max(0, Date.now() - this.began), outcome: this.outcome, attributes: user }
  }
}
