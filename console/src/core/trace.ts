/** How a trace is laid out: own frames stand alone, runs of others are folded. */

export interface FrameLike {
  kind: string
  file: string
  origin?: boolean
}

interface Named {
  function: string
  within?: string
  statement?: string
  why_raw?: string
}

/** What a frame's function is called: anonymous ones by the function around them, unknown ones by what stands there. */
export function called(f: Named): string {
  if (f.function) return f.function
  if (f.within) return `(anonymous in ${f.within})`
  if (f.statement) return `(unknown, at ${f.statement})`
  return f.why_raw ? '(unknown)' : '(anonymous)'
}

interface Told {
  type?: string
  thrown?: string
  message?: string
  relation?: string
  frames: (Named & { file: string; line: number; column: number })[]
}

/** A readable trace as text, to be pasted into a message. */
export function asText(exceptions: Told[]): string {
  return exceptions
    .map((x, i) => {
      const head = `${i > 0 ? `${x.relation ?? 'cause'}: ` : ''}${x.type ?? `thrown ${x.thrown ?? 'value'}`}${x.message ? `: ${x.message}` : ''}`
      return [head, ...x.frames.map((f) => `    at ${called(f)} (${f.file}${f.line ? `:${f.line}` : ''}${f.column ? `:${f.column}` : ''})`)].join('\n')
    })
    .join('\n')
}

export type Piece<F> = { frame: F } | { folded: F[]; words: string }

/** Lays frames out, innermost first. */
export function layOut<F extends FrameLike>(frames: F[]): Piece<F>[] {
  const out: Piece<F>[] = []
  for (const f of frames) {
    const last = out.at(-1)
    if (f.kind === 'own' || f.origin) out.push({ frame: f })
    else if (last && 'folded' in last) last.folded.push(f)
    else out.push({ folded: [f], words: '' })
  }
  for (const p of out) if ('folded' in p) p.words = foldWords(p.folded)
  return out
}

function foldWords(frames: FrameLike[]): string {
  const names = [...new Set(frames.map(whose))]
  return `${frames.length} ${frames.length === 1 ? 'frame' : 'frames'} of ${names.slice(0, 3).join(', ')}${names.length > 3 ? ' and others' : ''}`
}

/** Whose code a folded frame is: a package's name, or the runtime. */
function whose(f: FrameLike): string {
  const m = /node_modules\/((?:@[^/]+\/)?[^/]+)/.exec(f.file)
  if (m?.[1]) return m[1]
  return f.kind === 'runtime' ? 'the runtime' : 'a dependency'
}

/** The attribute groups of an event, in the order people ask for them. */
export const groups = [
  { name: 'Request', prefixes: ['url.', 'http.', 'server.', 'client.', 'network.', 'rpc.', 'messaging.'] },
  { name: 'User', prefixes: ['user.', 'enduser.', 'session.', 'app.installation.'] },
  { name: 'Device', prefixes: ['os.', 'device.', 'browser.', 'user_agent.', 'host.'] },
  { name: 'Runtime', prefixes: ['process.', 'service.', 'deployment.', 'telemetry.', 'vcs.', 'thread.', 'container.', 'k8s.', 'cloud.', 'otel.', 'code.'] },
] as const

export interface Fact {
  name: string
  value: string
}

/** Sorts attributes into groups; what fits none is the application's own. */
export function groupFacts(...sets: Record<string, unknown>[]): { name: string; facts: Fact[] }[] {
  const all = new Map<string, string>()
  for (const set of sets) for (const [k, v] of Object.entries(set)) all.set(k, Array.isArray(v) ? v.join(', ') : String(v))
  const own: Fact[] = []
  const out = groups.map((g) => ({ name: g.name as string, facts: [] as Fact[] }))
  for (const [name, value] of [...all].sort(([a], [b]) => a.localeCompare(b))) {
    const i = groups.findIndex((g) => g.prefixes.some((p) => name.startsWith(p)))
    const to = out[i]?.facts ?? own
    to.push({ name, value })
  }
  return [{ name: 'Own', facts: own }, ...out].filter((g) => g.facts.length > 0)
}
