// Builds both releases of the server into one minified file each, with the map
// beside it for pushing.
import { cpSync, mkdirSync, renameSync, rmSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { build } from 'vite'
import { debugIds } from '@firethorn/client/debug-ids'

const here = dirname(fileURLToPath(import.meta.url))
rmSync(join(here, 'build'), { recursive: true, force: true })
for (const release of ['2.8.0', '2.9.0']) {
  const root = join(here, 'build', 'tree')
  rmSync(root, { recursive: true, force: true })
  mkdirSync(root, { recursive: true })
  cpSync(join(here, 'src'), join(root, 'src'), { recursive: true })
  if (release === '2.9.0') cpSync(join(here, 'next'), root, { recursive: true })
  await build({
    root,
    configFile: false,
    logLevel: 'warn',
    define: { __RELEASE__: JSON.stringify(release) },
    plugins: [debugIds()],
    resolve: { preserveSymlinks: true },
    ssr: { noExternal: true, target: 'node' },
    build: { ssr: 'src/server.ts', outDir: join(root, 'dist'), emptyOutDir: true, sourcemap: 'hidden', minify: true, target: 'node20', rolldownOptions: { output: { entryFileNames: 'gangway.mjs' } } },
  })
  renameSync(join(root, 'dist'), join(here, 'build', release))
}
