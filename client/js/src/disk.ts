import { createHash } from 'node:crypto'
import fs from 'node:fs'
import os from 'node:os'
import { join } from 'node:path'
import process from 'node:process'
import type { Options } from './client.ts'
import type { Keeper } from './outbox.ts'

const maxFiles = 200
const maxBytes = 4 << 20

/** The name of a message's file: its id, a UUID, which sorts by time. */
const file = /^[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}\.json$/

/** Where the messages of a service wait, by the options. */
function placeOf(o: Options): string {
  if (typeof o.dir === 'string') return o.dir
  const cache =
    process.env.XDG_CACHE_HOME ||
    (process.platform === 'win32'
      ? process.env.LOCALAPPDATA
      : process.platform === 'darwin'
        ? join(os.homedir(), 'Library', 'Caches')
        : join(os.homedir(), '.cache'))
  if (!cache) throw new Error('there is no cache directory of this user')
  // Another key is another project, whose events must not be sent to this one.
  const whose = createHash('sha256').update(`${o.server}\n${o.key}`).digest('hex').slice(0, 8)
  return join(cache, 'firethorn', `${(o.service ?? 'node').replace(/[/\\.\x00-\x1f]/g, '-')}-${whose}`)
}

/** Says what is wrong with a directory that is to be this user's alone. */
function notPrivate(info: fs.Stats): string | undefined {
  if (info.isSymbolicLink()) return 'is a symbolic link'
  if (!info.isDirectory()) return 'is not a directory'
  if (process.getuid && info.uid !== process.geteuid!()) return 'belongs to another user'
  if (process.platform !== 'win32' && info.mode & 0o022) return 'can be written to by others'
  return undefined
}

function openPrivate(dir: string): string {
  fs.mkdirSync(dir, { recursive: true, mode: 0o700 })
  const why = notPrivate(fs.lstatSync(dir))
  if (why) throw new Error(`${dir} ${why}`)
  return dir
}

/**
 * Keeps messages on disk for the next start: a small queue, written
 * synchronously when the process is about to end. It reads and removes files
 * of its own names alone, in a directory that nobody else can write to.
 * Throws where there is none.
 */
export function disk(o: Options): Keeper {
  const base = placeOf(o)
  const at = Object.fromEntries(['events', 'sessions'].map((list) => [list, openPrivate(join(base, list))])) as Record<
    string,
    string | undefined
  >
  fs.accessSync(at.events!, fs.constants.W_OK)
  return {
    late: true,
    load: (list) => {
      const dir = at[list]
      if (!dir) return []
      const out: [string, string][] = []
      for (const name of fs
        .readdirSync(dir)
        .filter((f) => file.test(f))
        .sort()) {
        const text = readOwn(join(dir, name))
        if (text !== undefined) out.push([name.slice(0, -5), text])
      }
      return out
    },
    save: (list, id, text) => {
      const dir = at[list]
      if (!dir || !file.test(`${id}.json`)) throw new Error('no place for it')
      const names = fs.readdirSync(dir).filter((f) => file.test(f))
      const size = names.reduce(
        (sum, f) => sum + (fs.lstatSync(join(dir, f), { throwIfNoEntry: false })?.size ?? 0),
        Buffer.byteLength(text),
      )
      if (names.length >= maxFiles || size > maxBytes) throw new Error('full')
      // Whole or not at all: written beside, then named; an existing name is never followed.
      const part = join(dir, `${id}.${process.pid}.part`)
      fs.writeFileSync(part, text, { flag: 'wx', mode: 0o600 })
      fs.renameSync(part, join(dir, `${id}.json`))
    },
    drop: (list, id) => {
      const dir = at[list]
      if (dir && file.test(`${id}.json`)) fs.rmSync(join(dir, `${id}.json`), { force: true })
    },
  }
}

/** A file of ours, if it is one that can be read; one that was cut off is removed. */
function readOwn(name: string): string | undefined {
  try {
    const info = fs.lstatSync(name)
    if (!info.isFile() || info.size > maxBytes) return undefined
    const text = fs.readFileSync(name, 'utf8')
    try {
      JSON.parse(text)
      return text
    } catch {
      fs.rmSync(name, { force: true })
      return undefined
    }
  } catch {
    return undefined // another process has sent it meanwhile
  }
}
