// Builds both releases of the app: 4.2.0 from src, 4.2.1 from src with the
// files of next laid over it. Maps are written but not linked: they are pushed
// to Firethorn and never served.
import { cpSync, mkdirSync, readdirSync, renameSync, rmSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { build } from 'vite'
import { debugIds } from '@firethorn/client/debug-ids'

const here = dirname(fileURLToPath(import.meta.url))
rmSync(join(here, 'build'), { recursive: true, force: true })
for (const release of ['4.2.0', '4.2.1']) {
  const root = join(here, 'build', 'tree') // the same for both, as in a checkout: paths in maps are relative to it
  rmSync(root, { recursive: true, force: true })
  mkdirSync(root, { recursive: true })
  for (const part of ['src', 'index.html', 'style.css']) cpSync(join(here, part), join(root, part), { recursive: true })
  if (release === '4.2.1') cpSync(join(here, 'next'), root, { recursive: true })
  await build({
    root,
    configFile: false,
    logLevel: 'warn',
    define: { __RELEASE__: JSON.stringify(release) },
    plugins: [debugIds()],
    resolve: { preserveSymlinks: true },
    build: { outDir: join(root, 'dist'), emptyOutDir: true, sourcemap: 'hidden', assetsInlineLimit: 0, modulePreload: { polyfill: false } },
  })
  renameSync(join(root, 'dist'), join(here, 'build', release))
  const out = join(here, 'build', release, 'assets'), maps = join(here, 'build', 'symbols-' + release, 'assets')
  mkdirSync(maps, { recursive: true })
  for (const f of readdirSync(out)) {
    if (f.endsWith('.map')) renameSync(join(out, f), join(maps, f))
    else if (f.endsWith('.js')) cpSync(join(out, f), join(maps, f))
  }
}
