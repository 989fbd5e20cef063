// Calls functions of a module of src/core for the tests: reads a JSON list of
// [function, ...arguments] and prints the list of results. The module may import
// others that lie beside it.
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { basename, dirname, join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { tmpdir } from 'node:os'
import ts from 'typescript'

const dir = mkdtempSync(join(tmpdir(), 'core-'))
const compiled = (name) => name.replace(/\.ts$/, '.mjs')
const wanted = [basename(process.argv[2])]
for (const name of wanted) {
  const source = readFileSync(join(dirname(process.argv[2]), name), 'utf8')
  const text = ts.transpileModule(source, { compilerOptions: { module: 'ESNext', target: 'ES2023' } }).outputText
  writeFileSync(join(dir, compiled(name)), text.replaceAll(/from '\.\/([\w-]+\.ts)'/g, (_, other) => {
    if (!wanted.includes(other)) wanted.push(other)
    return `from './${compiled(other)}'`
  }))
}
const module = await import(pathToFileURL(join(dir, compiled(basename(process.argv[2])))).href)
rmSync(dir, { recursive: true })
const revive = (v) => (v && typeof v === 'object' && '$params' in v ? new URLSearchParams(v.$params) : v)
const calls = JSON.parse(readFileSync(0, 'utf8'))
const results = calls.map(([name, ...args]) => module[name](...args.map(revive)))
console.log(JSON.stringify(results.map((r) => (r instanceof URLSearchParams ? r.toString() : (r ?? null)))))
