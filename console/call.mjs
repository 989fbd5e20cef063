// Calls functions of a module of src/core for the tests: reads a JSON list of
// [function, ...arguments] and prints the list of results.
import { readFileSync } from 'node:fs'
import { pathToFileURL } from 'node:url'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { tmpdir } from 'node:os'
import ts from 'typescript'

const dir = mkdtempSync(join(tmpdir(), 'core-'))
const file = join(dir, 'module.mjs')
const source = readFileSync(new URL(process.argv[2], import.meta.url), 'utf8')
writeFileSync(file, ts.transpileModule(source, { compilerOptions: { module: 'ESNext', target: 'ES2023' } }).outputText)
const module = await import(pathToFileURL(file).href)
rmSync(dir, { recursive: true })
const revive = (v) => (v && typeof v === 'object' && '$params' in v ? new URLSearchParams(v.$params) : v)
const calls = JSON.parse(readFileSync(0, 'utf8'))
const results = calls.map(([name, ...args]) => module[name](...args.map(revive)))
console.log(JSON.stringify(results.map((r) => (r instanceof URLSearchParams ? r.toString() : (r ?? null)))))
