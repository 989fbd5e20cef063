// Builds the harbour with four bundlers and two further minifiers, minified
// and plain, runs the originals and every build, and writes what was seen:
//
//   node names/build.mjs OUT [packages]
//
// OUT/frames.json: { "original": [frame…], "<build>": [frame…] }. With
// "packages" real packages are part of it.
import { spawnSync } from 'node:child_process'
import { cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { dirname, join, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { transform as swc } from '@swc/core'
import * as esbuild from 'esbuild'
import { rolldown } from 'rolldown'
import { rollup } from 'rollup'
import commonjs from '@rollup/plugin-commonjs'
import nodeResolve from '@rollup/plugin-node-resolve'
import { minify as terser } from 'terser'
import uglify from 'uglify-js'
import webpack from 'webpack'

const here = dirname(fileURLToPath(import.meta.url))
const out = resolve(process.argv[2]), whole = process.argv[3] === 'packages'
rmSync(out, { recursive: true, force: true })
mkdirSync(out, { recursive: true })
const source = join(here, 'build-of-harbour')
cpSync(join(here, 'harbour'), join(source, 'harbour'), { recursive: true })
if (whole) writeFileSync(join(source, 'harbour/packages.js'), readFileSync(join(here, 'packages.js'), 'utf8').replace('./harbour/here.js', './here.js'))
const input = join(source, 'harbour/main.js')

const put = (name, code, map) => {
  writeFileSync(join(out, `${name}.mjs`), `${code.replace(/\n?\/\/# sourceMappingURL=\S+\s*$/, '')}\n//# sourceMappingURL=${name}.mjs.map\n`)
  const m = typeof map === 'string' ? JSON.parse(map) : { ...map }
  m.sources = m.sources.map(s => s && s.replace(/^webpack:\/\/[^/]*\//, '').replace(/^.*?(harbour\/|node_modules\/)/, '$1'))
  delete m.sourceRoot
  writeFileSync(join(out, `${name}.mjs.map`), JSON.stringify(m))
}

for (const minify of [false, true]) {
  const r = await esbuild.build({ entryPoints: [input], bundle: true, format: 'esm', platform: 'node', conditions: ['import'], mainFields: ['module', 'main'], minify, sourcemap: 'external', outfile: join(out, 'x.mjs'), write: false, logLevel: 'error' })
  put(minify ? 'esbuild-min' : 'esbuild-plain', r.outputFiles.find(f => f.path.endsWith('.mjs')).text, r.outputFiles.find(f => f.path.endsWith('.map')).text)

  const b = await rolldown({ input, platform: 'node', logLevel: 'silent' })
  const { output: [c] } = await b.generate({ format: 'esm', sourcemap: true, minify, codeSplitting: false })
  put(minify ? 'rolldown-min' : 'rolldown-plain', c.code, c.map)
}

const b = await rollup({ input, plugins: [nodeResolve({ exportConditions: ['import', 'node'] }), commonjs()], onwarn() {} })
const { output: [plain] } = await b.generate({ format: 'esm', sourcemap: true, inlineDynamicImports: true })
put('rollup-plain', plain.code, plain.map)
const t = await terser(plain.code, { module: true, sourceMap: { content: plain.map, includeSources: true } })
put('rollup-terser', t.code, t.map)
const s = await swc(plain.code, { minify: true, module: { type: 'es6' }, isModule: true, sourceMaps: true, inputSourceMap: JSON.stringify(plain.map), inlineSourcesContent: true, jsc: { target: 'es2022', minify: { compress: true, mangle: true, module: true } } })
put('rollup-swc', s.code, s.map)
const u = uglify.minify(plain.code, { module: true, sourceMap: { content: JSON.parse(JSON.stringify(plain.map)), includeSources: true } })
if (u.error) console.error(`uglify-js leaves this out: ${u.error.message}`)
else put('rollup-uglify', u.code, u.map)

for (const minify of [false, true]) {
  const name = minify ? 'webpack-min' : 'webpack-plain'
  await new Promise((done, failed) => webpack({
    mode: minify ? 'production' : 'none', entry: input, target: 'node20', devtool: 'hidden-source-map', experiments: { outputModule: true },
    output: { path: join(source, 'webpack'), filename: `${name}.mjs`, module: true, chunkFormat: 'module', devtoolModuleFilenameTemplate: '[absolute-resource-path]' }, performance: { hints: false },
  }, (err, stats) => err ?? stats.hasErrors() ? failed(err ?? new Error(stats.toString('errors-only'))) : done()))
  put(name, readFileSync(join(source, 'webpack', `${name}.mjs`), 'utf8'), readFileSync(join(source, 'webpack', `${name}.mjs.map`), 'utf8'))
}

const run = file => {
  const r = spawnSync(process.execPath, [file], { encoding: 'utf8', maxBuffer: 1 << 28, cwd: here })
  if (r.status !== 0) throw new Error(`${file}: ${r.stderr}`)
  return JSON.parse(r.stdout.trim().split('\n').at(-1))
}
const tidy = frames => frames.map(f => ({ ...f, file: f.file.replace(/^.*?(harbour\/|node_modules\/)/, '$1').replace(/^file:\/\/.*\//, '') }))
const frames = { original: tidy(run(input)) }
for (const name of ['esbuild-plain', 'esbuild-min', 'rolldown-plain', 'rolldown-min', 'rollup-plain', 'rollup-terser', 'rollup-swc', ...(u.error ? [] : ['rollup-uglify']), 'webpack-plain', 'webpack-min']) frames[name] = tidy(run(join(out, `${name}.mjs`)))
writeFileSync(join(out, 'frames.json'), '{\n' + Object.entries(frames).map(([k, v]) => `${JSON.stringify(k)}: [\n${v.map(f => JSON.stringify(f)).join(',\n')}]`).join(',\n') + '\n}\n')
for (const [k, v] of Object.entries(frames)) console.log(k, v.length)
rmSync(source, { recursive: true, force: true })
