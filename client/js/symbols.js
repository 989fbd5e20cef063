import { createHash } from 'node:crypto'
import { readdir, readFile, rm } from 'node:fs/promises'
import { dirname, join, relative, sep } from 'node:path'
import { gzipSync } from 'node:zlib'
import { debugIds } from './debug-ids.js'

/**
 * A plugin for Vite and Rollup that stamps each chunk and its map with a debug
 * id, and pushes both when the build has written them.
 *
 * release    the release, as the application reports it (needed)
 * server     where Firethorn answers, else FIRETHORN_SERVER
 * project    the project's name, else FIRETHORN_PROJECT
 * token      a build token, else FIRETHORN_TOKEN; without one nothing is pushed, and the build says so
 * servedAt   the URL or path the output is served at; '*' stands for any characters
 * onFailure  'fail' (as it is) lets a push that fails fail the build, 'warn' only says so
 * removeMaps true takes the maps out of the output once they are pushed
 */
export function symbols(options) {
  const o = {
    server: process.env.FIRETHORN_SERVER, project: process.env.FIRETHORN_PROJECT, token: process.env.FIRETHORN_TOKEN,
    servedAt: '', onFailure: 'fail', removeMaps: false, ...options,
  }
  if (!['fail', 'warn'].includes(o.onFailure)) throw new Error(`firethorn: onFailure is 'fail' or 'warn', not ${JSON.stringify(o.onFailure)}`)
  return {
    ...debugIds(),
    name: 'firethorn-symbols',
    async writeBundle(output) {
      try {
        this.info?.(await push(o, output.dir ?? dirname(output.file)))
      } catch (e) {
        const words = `firethorn: the symbols of ${o.release} were not pushed: ${e.message}`
        if (o.onFailure === 'fail') this.error(words)
        this.warn(words)
      }
    },
  }
}

/** Pushes all bundles below a directory that have a map; says in a sentence what it did. */
export async function push(o, dir) {
  for (const name of ['release', 'server', 'project', 'token']) {
    if (!o[name]) throw new Error(`${name} is missing: give it to the plugin${name === 'release' ? '' : `, or set FIRETHORN_${name.toUpperCase()}`}`)
  }
  const base = `${o.server.replace(/\/$/, '')}/api/projects/${encodeURIComponent(o.project)}/symbols`
  const files = [], contents = new Map()
  for (const path of await bundles(dir)) {
    const map = await readFile(`${path}.map`).catch(() => undefined)
    if (!map) continue
    const code = await readFile(path)
    const address = relative(dir, path).split(sep).join('/')
    const file = { address: o.servedAt ? `${o.servedAt.replace(/\/$/, '')}/${address}` : address, bundle: hash(code), map: hash(map) }
    const id = JSON.parse(map).debugId
    files.push(id ? { ...file, debug_id: id } : file)
    contents.set(file.bundle, code).set(file.map, map)
  }
  if (files.length === 0) throw new Error(`no bundle with a map lies below ${dir}: set build.sourcemap to 'hidden' or true`)
  const missing = (await call(o, `${base}/missing`, { hashes: [...contents.keys()] })).hashes
  const queue = [...missing]
  await Promise.all(Array.from({ length: 4 }, async () => {
    for (let h; (h = queue.shift()); ) await send(o, `${base}/content`, contents.get(h))
  }))
  const done = await call(o, base, { release: o.release, files })
  for (const b of done.broken) throw new Error(`the map ${b}`)
  if (o.removeMaps) for (const path of await bundles(dir)) await rm(`${path}.map`, { force: true })
  return `firethorn: ${files.length} bundles of ${o.release} are readable (${missing.length} of ${contents.size} contents sent)`
}

const hash = (raw) => createHash('sha256').update(raw).digest('hex')

async function bundles(dir) {
  const all = await readdir(dir, { recursive: true, withFileTypes: true })
  return all.filter((f) => f.isFile() && /\.[cm]?js$/.test(f.name)).map((f) => join(f.parentPath ?? f.path, f.name)).sort()
}

const call = async (o, url, body) => (await ask(o, url, JSON.stringify(body), { 'Content-Type': 'application/json' })).json()
const send = (o, url, raw) => ask(o, url, gzipSync(raw), { 'Content-Type': 'application/octet-stream', 'Content-Encoding': 'gzip' })

/** Posts, again when the service is away for a moment. */
async function ask(o, url, body, headers) {
  for (let tried = 1; ; tried++) {
    let words
    try {
      const res = await fetch(url, { method: 'POST', body, headers: { ...headers, Authorization: `Bearer ${o.token}` }, signal: AbortSignal.timeout(60_000) })
      if (res.ok) return res
      words = (await res.json().catch(() => ({}))).detail ?? `${url} answered ${res.status}`
      if (res.status < 500 && res.status !== 429) throw Object.assign(new Error(words), { final: true })
    } catch (e) {
      if (e.final) throw e
      words ??= `${o.server} does not answer (${e.cause?.code ?? e.message})`
    }
    if (tried === 3) throw new Error(words)
    await new Promise((done) => setTimeout(done, tried * tried * 300))
  }
}
