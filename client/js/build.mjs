// Builds the package: every entry as an ES module and as CommonJS, with
// declarations for both.
import { execFileSync } from 'node:child_process'
import { cpSync, writeFileSync } from 'node:fs'
import { build } from 'vite'

for (const mode of ['browser', 'node', 'build', 'browser-cjs', 'node-cjs', 'build-cjs'])
  await build({ mode, logLevel: 'warn' })
const tsc = '../../node_modules/typescript7/bin/tsc'
const declarations = ['--noEmit', 'false', '--declaration', '--emitDeclarationOnly', '--outDir', 'dist/types']
execFileSync(process.execPath, [tsc, '-p', '.', ...declarations], { stdio: 'inherit' })
// CommonJS callers read the same declarations, in a directory whose files are CommonJS.
cpSync('dist/types', 'dist/cjs/types', { recursive: true })
writeFileSync('dist/cjs/package.json', '{"type":"commonjs"}\n')
