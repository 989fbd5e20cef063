import type { Client } from './client.ts'

const causes: Record<number, string> = {
  401: 'does not know the key: check options.key',
  403: 'refuses this origin or sender: allow it in the project',
  404: 'is no Firethorn: check options.server',
}

/** What a client says on the console: once what keeps it from working; with debug, what it does. */
export class Say {
  private readonly said = new Set<string>()
  private readonly client: Client
  private readonly out = { warn: console.warn, debug: console.debug } // as they were before any breadcrumb was taken of them

  constructor(client: Client) {
    this.client = client
    const o = client.options!
    this.debug(() => `reports go to ${o.server} for ${o.service ?? 'no service'} ${o.release ?? ''}`)
    client.answered = (list, status, n) => {
      this.debug(() => `${n} ${list}: ${status || 'no answer'}`)
      if (causes[status]) this.warn(String(status), `nothing is reported: ${o.server} ${causes[status]} (${status})`)
    }
  }

  /** Says once for each cause what keeps the client from working. */
  warn(cause: string, words: string): void {
    if (this.said.has(cause)) return
    this.said.add(cause)
    this.client.unheard(() => this.out.warn.call(console, `[firethorn] ${words}`))
  }

  debug(words: () => string): void {
    if (this.client.options?.debug) this.client.unheard(() => this.out.debug.call(console, `[firethorn] ${words()}`))
  }
}
