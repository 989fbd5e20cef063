// Builds components of Vue and Svelte, plain and minified, renders them, and
// writes what was seen as typed.mjs does:
//
//   node names/components.mjs OUT
//
// The original is the plain build: its frames are taken back to the sources,
// and have the names that people gave.
import { spawnSync } from 'node:child_process'
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { basename, dirname, join, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { originalPositionFor, TraceMap } from '@jridgewell/trace-mapping'
import { svelte } from '@sveltejs/vite-plugin-svelte'
import vue from '@vitejs/plugin-vue'
import { build } from 'vite'

const here = dirname(fileURLToPath(import.meta.url))
const out = resolve(process.argv[2])
rmSync(out, { recursive: true, force: true })
const frames = {}
for (const [name, minify] of [['plain', false], ['minified', true]]) {
  const r = await build({
    root: join(here, 'components'), logLevel: 'error', configFile: false, plugins: [vue(), svelte({ configFile: false })],
    build: { ssr: true, write: false, minify, sourcemap: true, lib: { entry: join(here, 'components/main.ts'), formats: ['es'] }, rolldownOptions: { external: [/^vue/, /^svelte/] } },
  })
  const c = (Array.isArray(r) ? r[0] : r).output.find(o => o.type === 'chunk' && o.isEntry)
  const dir = join(out, name)
  mkdirSync(dir, { recursive: true })
  const map = { ...c.map, sources: c.map.sources.map(s => s && basename(s)) }
  writeFileSync(join(dir, 'main.mjs'), c.code)
  writeFileSync(join(dir, 'main.mjs.map'), JSON.stringify(map))
  const run = spawnSync(process.execPath, [join(dir, 'main.mjs')], { encoding: 'utf8', cwd: join(here, '..') })
  if (run.status !== 0) throw new Error(run.stderr)
  const seen = new Set()
  frames[name] = JSON.parse(run.stdout.trim().split('\n').at(-1)).map(f => ({ ...f, file: f.file.replace(/^file:\/\//, '') })).filter(f => f.file.startsWith(dir) && !seen.has(`${f.line}:${f.column}`) && seen.add(`${f.line}:${f.column}`)).map(f => ({ ...f, file: basename(f.file) }))
}
const map = new TraceMap(readFileSync(join(out, 'plain/main.mjs.map'), 'utf8'))
const original = frames.plain.map(f => {
  const o = originalPositionFor(map, { line: f.line, column: f.column - 1 })
  return { ...f, name: f.name.replace(/^_sfc_(ssr)?render$/i, 'render'), file: o.source, line: o.line, column: o.column + 1 }
// What the server's build wraps has no name there, and some the engine guesses.
}).filter(f => f.file && !f.name.includes('.') && !(f.file.endsWith('.svelte') && f.name === ''))
writeFileSync(join(out, 'frames.json'), JSON.stringify({ original, ...frames }, null, 1))
console.log(original.length, frames.plain.length, frames.minified.length)
