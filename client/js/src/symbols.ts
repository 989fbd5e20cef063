import { createHash } from 'node:crypto'
import { readdir, readFile, rm } from 'node:fs/promises'
import { dirname, join, relative, sep } from 'node:path'
import process from 'node:process'
import { gzipSync } from 'node:zlib'
import { debugIds } from './debug-ids.ts'
import type { DebugIdsPlugin } from './debug-ids.ts'

export interface SymbolsOptions {
  /** The release, as the application reports it. Required. */
  release?: string | undefined
  /** The service's address, else FIRETHORN_SERVER. */
  server?: string | undefined
  /** The project's name, else FIRETHORN_PROJECT. */
  project?: string | undefined
  /** A build token, else FIRETHORN_TOKEN. Without one nothing is pushed, and the build warns. */
  token?: string | undefined
  /** The URL or path at which the output is served; '*' stands for any characters. */
  servedAt?: string | undefined
  /** 'warn' (the default) lets a build pass whose maps were not pushed, and says so; 'fail' lets it fail. */
  onFailure?: 'fail' | 'warn' | undefined
  /**
   * false leaves the maps in the output. By default they are removed once they are pushed: they hold the source
   * code.
   */
  removeMaps?: boolean | undefined
}

type Complete = { [K in 'release' | 'server' | 'project' | 'token' | 'servedAt']: string } & { removeMaps: boolean }

export interface SymbolsPlugin extends DebugIdsPlugin {
  writeBundle(output: { dir?: string | undefined; file?: string | undefined }): Promise<void>
}

/** What the bundler gives a plugin to speak with. */
interface Bundler {
  info?(words: string): void
  warn(words: string): void
  error(words: string): never
}

/**
 * Makes a plugin for Vite and Rollup that stamps each chunk and its map with a
 * debug id, pushes both when the build has written them, and removes the maps
 * from the output.
 */
export function symbols(options: SymbolsOptions): SymbolsPlugin {
  const { onFailure = 'warn' } = options
  if (!['fail', 'warn'].includes(onFailure))
    throw new Error(`firethorn: onFailure is 'fail' or 'warn', not ${JSON.stringify(onFailure)}`)
  return {
    ...debugIds(),
    name: 'firethorn-symbols',
    async writeBundle(this: unknown, output) {
      const bundler = this as Bundler
      try {
        bundler.info?.(await push(options, output.dir ?? dirname(output.file ?? '.')))
      } catch (e) {
        const words = `firethorn: the symbols of ${options.release ?? 'this build'} were not pushed: ${e instanceof Error ? e.message : String(e)}`
        if (onFailure === 'fail') bundler.error(words)
        bundler.warn(`${words}. Stack traces of this build stay unreadable, and its maps are still in the output.`)
      }
    },
  }
}

/** Fills in what the environment says; throws where something is missing. */
function complete(o: SymbolsOptions): Complete {
  const env = process.env
  const all = {
    release: o.release,
    server: o.server ?? env.FIRETHORN_SERVER,
    project: o.project ?? env.FIRETHORN_PROJECT,
    token: o.token ?? env.FIRETHORN_TOKEN,
    servedAt: o.servedAt ?? '',
    removeMaps: o.removeMaps ?? true,
  }
  for (const name of ['release', 'server', 'project', 'token'] as const) {
    if (!all[name])
      throw new Error(
        `${name} is missing: give it to the plugin${name === 'release' ? '' : `, or set FIRETHORN_${name.toUpperCase()}`}`,
      )
  }
  return all as Complete
}

interface PushedFile {
  address: string
  bundle: string
  map: string
  debug_id?: string
}

/** Pushes all bundles below a directory that have a map; says in a sentence what it did. */
export async function push(options: SymbolsOptions, dir: string): Promise<string> {
  const o = complete(options)
  const base = `${o.server.replace(/\/$/, '')}/api/projects/${encodeURIComponent(o.project)}/symbols`
  const files: PushedFile[] = []
  const contents = new Map<string, Uint8Array>()
  for (const path of await bundles(dir)) {
    const map = await readFile(`${path}.map`).catch(() => undefined)
    if (!map) continue
    const code = await readFile(path)
    const address = relative(dir, path).split(sep).join('/')
    const file = {
      address: o.servedAt ? `${o.servedAt.replace(/\/$/, '')}/${address}` : address,
      bundle: hash(code),
      map: hash(map),
    }
    const { debugId } = JSON.parse(String(map)) as { debugId?: string }
    files.push(debugId ? { ...file, debug_id: debugId } : file)
    contents.set(file.bundle, code).set(file.map, map)
  }
  if (files.length === 0)
    throw new Error(`no bundle with a map lies below ${dir}: set build.sourcemap to 'hidden' or true`)
  const missing = (
    (await (await call(o, `${base}/missing`, { hashes: [...contents.keys()] })).json()) as { hashes: string[] }
  ).hashes
  const queue = [...missing]
  await Promise.all(
    Array.from({ length: 4 }, async () => {
      for (let h; (h = queue.shift());) await send(o, `${base}/content`, contents.get(h)!)
    }),
  )
  const done = (await (await call(o, base, { release: o.release, files })).json()) as { broken: string[] }
  for (const b of done.broken) throw new Error(`the map ${b}`)
  if (o.removeMaps) for (const path of await bundles(dir)) await rm(`${path}.map`, { force: true })
  return `firethorn: ${files.length} bundles of ${o.release} are readable (${missing.length} of ${contents.size} contents sent)`
}

const hash = (raw: Uint8Array) => createHash('sha256').update(raw).digest('hex')

async function bundles(dir: string): Promise<string[]> {
  const all = await readdir(dir, { recursive: true, withFileTypes: true })
  return all
    .filter((f) => f.isFile() && /\.[cm]?js$/.test(f.name))
    .map((f) => join(f.parentPath ?? f.path, f.name))
    .sort()
}

const call = (o: Complete, url: string, body: unknown) =>
  ask(o, url, JSON.stringify(body), { 'Content-Type': 'application/json' })
const send = (o: Complete, url: string, raw: Uint8Array) =>
  ask(o, url, new Uint8Array(gzipSync(raw)), { 'Content-Type': 'application/octet-stream', 'Content-Encoding': 'gzip' })

/** An answer that trying again does not change. */
class Refused extends Error {}

/** Posts, again when the service is away for a moment. */
async function ask(o: Complete, url: string, body: BodyInit, headers: Record<string, string>): Promise<Response> {
  for (let tried = 1; ; tried++) {
    let words
    try {
      const res = await fetch(url, {
        method: 'POST',
        body,
        headers: { ...headers, Authorization: `Bearer ${o.token}` },
        signal: AbortSignal.timeout(60_000),
      })
      if (res.ok) return res
      const problem = (await res.json().catch(() => ({}))) as { detail?: string }
      words = problem.detail ?? `${url} answered ${res.status}`
      if (res.status < 500 && res.status !== 429) throw new Refused(words)
    } catch (e) {
      if (e instanceof Refused) throw e
      const cause = (e as { cause?: { code?: string } }).cause
      words ??= `${o.server} does not answer (${cause?.code ?? (e as Error).message})`
    }
    if (tried === 3) throw new Error(words)
    await new Promise((done) => setTimeout(done, tried * tried * 300))
  }
}
