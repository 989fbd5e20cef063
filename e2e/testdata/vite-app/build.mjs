// Builds the app into the directory named, and pushes its symbols.
import { dirname } from 'node:path'
import { fileURLToPath } from 'node:url'
import { build } from 'vite'
import { symbols } from '@firethorn/client/symbols'

const [out, server, key, release, onFailure] = process.argv.slice(2)
await build({
  root: dirname(fileURLToPath(import.meta.url)),
  configFile: false,
  logLevel: 'info',
  define: { __SERVER__: JSON.stringify(server), __KEY__: JSON.stringify(key), __RELEASE__: JSON.stringify(release) },
  plugins: [symbols({ release, onFailure, removeMaps: true })],
  build: { outDir: out, emptyOutDir: true, sourcemap: 'hidden' },
})
