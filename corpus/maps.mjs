// Puts three real maps of about 1, 5 and 20 MB, and the code they belong to,
// into build/maps: one that a package ships (rollup), one that another ships
// (webpack), and one that a bundler and minifier makes of two large packages.
import { copyFileSync, mkdirSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import * as esbuild from 'esbuild'

const here = dirname(fileURLToPath(import.meta.url)), out = join(here, 'build/maps')
mkdirSync(out, { recursive: true })
for (const [name, file] of [['01.js', 'chart.js/dist/chart.js'], ['05.js', 'pdfjs-dist/build/pdf.worker.mjs']]) {
  copyFileSync(join(here, 'node_modules', file), join(out, name))
  copyFileSync(join(here, 'node_modules', file + '.map'), join(out, name + '.map'))
}
const entry = join(out, 'entry.mjs')
writeFileSync(entry, "export * as ts from 'typescript'\nexport * as charts from 'echarts'\n")
await esbuild.build({ entryPoints: [entry], bundle: true, minify: true, format: 'esm', platform: 'node', sourcemap: true, outfile: join(out, '20.js'), logLevel: 'error' })
