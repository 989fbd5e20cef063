import { createHash } from 'node:crypto'

/** One file of a build, as Vite, Rollup and Rolldown hand it to a plugin. */
interface Built {
  type: string
  code?: string
  source?: string | Uint8Array
}

/** A plugin for Vite, Rollup and Rolldown, as far as this package needs one. */
export interface DebugIdsPlugin {
  name: string
  // eslint-disable-next-line @typescript-eslint/no-explicit-any -- each bundler has types of its own
  generateBundle(options: unknown, bundle: { [file: string]: any }): void
}

/**
 * Makes a plugin for Vite and Rollup that ties each chunk to its map by a
 * debug id (ECMA-426): the id stands in the map, in a comment at the chunk's
 * end, and in a table that the client reads while the chunk runs. Positions do
 * not move: everything is added behind the code.
 */
export function debugIds(): DebugIdsPlugin {
  return {
    name: 'firethorn-debug-ids',
    generateBundle(_options, bundle: { [file: string]: Built }) {
      for (const [name, chunk] of Object.entries(bundle)) {
        if (chunk.type !== 'chunk' || chunk.code === undefined) continue
        const map = bundle[`${name}.map`]
        const h = createHash('sha256')
          .update(chunk.code)
          .update('\0')
          .update(map?.type === 'asset' ? String(map.source) : '')
          .digest('hex')
        const id = `${h.slice(0, 8)}-${h.slice(8, 12)}-4${h.slice(13, 16)}-a${h.slice(17, 20)}-${h.slice(20, 32)}`
        const table = "(globalThis[Symbol.for('firethorn.debugIds')]??={})[new Error().stack]"
        const link = /\n\/\/# sourceMappingURL=\S+\s*$/.exec(chunk.code)?.[0] ?? ''
        const code = link ? chunk.code.slice(0, -link.length) : chunk.code
        chunk.code = `${code.replace(/\n*$/, '')}\n;${table}=${JSON.stringify(id)};\n//# debugId=${id}${link}\n`
        if (map?.type === 'asset')
          map.source = JSON.stringify({ ...(JSON.parse(String(map.source)) as object), debugId: id })
      }
    },
  }
}
