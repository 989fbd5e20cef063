// Builds the pier, a program in TypeScript and JSX, with twelve tool chains and
// the minifiers behind them, runs every build, and writes what was seen:
//
//   node names/typed.mjs OUT
//
// OUT/frames.json: { "original": [frame…], "<build>": [frame…] }. The original
// is what the compiler leaves when it takes nothing away but the types; its
// frames are those of the sources. OUT must lie below the directory of the
// packages: the builds load React from there.
import { spawnSync } from 'node:child_process'
import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { basename, dirname, join, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { transformAsync as babel } from '@babel/core'
import { originalPositionFor, TraceMap } from '@jridgewell/trace-mapping'
import { transform as swc } from '@swc/core'
import * as esbuild from 'esbuild'
import { rolldown } from 'rolldown'
import { rollup } from 'rollup'
import { minify as terser } from 'terser'
import ts from 'typescript'
import uglify from 'uglify-js'
import { build as vite } from 'vite'
import webpack from 'webpack'

const here = dirname(fileURLToPath(import.meta.url))
const out = resolve(process.argv[2])
rmSync(out, { recursive: true, force: true })
const source = join(out, 'source')
mkdirSync(source, { recursive: true })
cpSync(join(here, 'pier'), join(source, 'pier'), { recursive: true })
writeFileSync(join(source, 'package.json'), '{"type":"commonjs"}')
const options = { target: 'ESNext', module: 'CommonJS', moduleResolution: 'Node10', jsx: 'react-jsx', experimentalDecorators: true, esModuleInterop: true, downlevelIteration: true, useDefineForClassFields: true, skipLibCheck: true, ignoreDeprecations: '5.0' }
writeFileSync(join(source, 'tsconfig.json'), JSON.stringify({ compilerOptions: options }))
const files = readdirSync(join(source, 'pier')).filter(f => /\.tsx?$/.test(f))
const input = join(source, 'pier/main.ts')
const external = ['react', 'react-dom', 'react/jsx-runtime', 'react-dom/server']
const builds = []

/** Keeps one file of a build with its map, whose sources are called from the program's root. */
const put = (build, file, code, map) => {
  const dir = join(out, build)
  mkdirSync(dir, { recursive: true })
  if (!existsSync(join(dir, 'package.json'))) writeFileSync(join(dir, 'package.json'), '{"type":"commonjs"}')
  const m = typeof map === 'string' ? JSON.parse(map) : JSON.parse(JSON.stringify(map))
  m.sources = m.sources.map(s => s && s.replace(/^.*?((?:pier)\/)?([^/]+\.tsx?)$/, 'pier/$2'))
  delete m.sourceRoot
  m.sourcesContent = m.sources.map((s, i) => m.sourcesContent?.[i] ?? (s && existsSync(join(source, s)) ? readFileSync(join(source, s), 'utf8') : null))
  writeFileSync(join(dir, file), `${code.replace(/\n?\/\/# sourceMappingURL=\S+\s*$/, '')}\n//# sourceMappingURL=${file}.map\n`)
  writeFileSync(join(dir, `${file}.map`), JSON.stringify(m))
  if (!builds.includes(build)) builds.push(build)
}
const step = async (name, work) => {
  try { await work() } catch (e) { console.error(`${name} is left out: ${String(e.message ?? e).slice(0, 400)}`) }
}
/** Every source by itself, as compilers that do not bundle leave it. */
const each = (build, work) => step(build, async () => {
  for (const f of files) {
    const text = readFileSync(join(source, 'pier', f), 'utf8')
    const { code, map } = await work(f, text)
    put(build, f.replace(/\.tsx?$/, '.js'), code, map)
  }
})
const minified = async (build, code, map) => {
  await step(`${build}-terser`, async () => { const t = await terser(code, { sourceMap: { content: map, includeSources: true }, toplevel: true }); put(`${build}-terser`, 'main.js', t.code, t.map) })
  await step(`${build}-swc`, async () => { const s = await swc(code, { minify: true, isModule: false, sourceMaps: true, inputSourceMap: typeof map === 'string' ? map : JSON.stringify(map), inlineSourcesContent: true, jsc: { target: 'es2022', minify: { compress: true, mangle: { toplevel: true } } } }); put(`${build}-swc`, 'main.js', s.code, s.map) })
  await step(`${build}-uglify`, async () => { const u = uglify.minify(code, { toplevel: true, sourceMap: { content: typeof map === 'string' ? JSON.parse(map) : JSON.parse(JSON.stringify(map)), includeSources: true } }); if (u.error) throw u.error; put(`${build}-uglify`, 'main.js', u.code, u.map) })
  await step(`${build}-esbuild`, async () => { const inline = `${code}\n//# sourceMappingURL=data:application/json;base64,${Buffer.from(typeof map === 'string' ? map : JSON.stringify(map)).toString('base64')}`; const e = await esbuild.transform(inline, { minify: true, sourcemap: 'external', sourcefile: 'main.js', format: 'cjs' }); put(`${build}-esbuild`, 'main.js', e.code, e.map) })
}

for (const [build, target] of [['tsc-esnext', 'ESNext'], ['tsc-es2017', 'ES2017'], ['tsc-es5', 'ES5']]) await each(build, (f, text) => {
  const r = ts.transpileModule(text, { fileName: f, compilerOptions: { ...options, target: ts.ScriptTarget[target === 'ESNext' ? 'ESNext' : target], module: ts.ModuleKind.CommonJS, jsx: ts.JsxEmit.ReactJSX, moduleResolution: undefined, sourceMap: true, inlineSources: true } })
  return { code: r.outputText, map: r.sourceMapText }
})
const decorators = { parser: { syntax: 'typescript', tsx: true, decorators: true }, transform: { legacyDecorator: true, react: { runtime: 'automatic' } } }
for (const [build, target] of [['swc', 'es2020'], ['swc-es5', 'es5']]) await each(build, async (f, text) => swc(text, { filename: f, sourceMaps: true, inlineSourcesContent: true, module: { type: 'commonjs' }, jsc: { ...decorators, parser: { ...decorators.parser, tsx: f.endsWith('x') }, target } }))
for (const [build, targets] of [['babel', { node: 18 }], ['babel-old', { ie: 11 }]]) await each(build, (f, text) => babel(text, {
  filename: f, sourceMaps: true, configFile: false, babelrc: false, cwd: join(here, '..'),
  presets: [['@babel/preset-env', { targets, modules: 'commonjs' }], ['@babel/preset-react', { runtime: 'automatic' }], ['@babel/preset-typescript', { allowDeclareFields: true, onlyRemoveTypeImports: false }]], plugins: [['@babel/plugin-proposal-decorators', { version: 'legacy' }]],
}))

for (const [build, extra] of [['esbuild', {}], ['esbuild-min', { minify: true }], ['esbuild-es2015', { minify: true, target: 'es2015', supported: { 'async-generator': false } }]]) await step(build, async () => {
  const r = await esbuild.build({ entryPoints: [input], bundle: true, format: 'cjs', platform: 'node', external, sourcemap: 'external', outfile: join(out, 'x/main.js'), write: false, logLevel: 'error', tsconfig: join(source, 'tsconfig.json'), ...extra })
  put(build, 'main.js', r.outputFiles.find(f => f.path.endsWith('.js')).text, r.outputFiles.find(f => f.path.endsWith('.map')).text)
})
for (const minify of [false, true]) await step('rolldown', async () => {
  const b = await rolldown({ input, external, platform: 'node', logLevel: 'silent', tsconfig: join(source, 'tsconfig.json'), transform: { decorator: { legacy: true }, jsx: { runtime: 'automatic' } } })
  const { output: [c] } = await b.generate({ format: 'cjs', sourcemap: true, minify })
  put(minify ? 'rolldown-min' : 'rolldown', 'main.js', c.code, c.map)
})
await step('vite', async () => {
  const r = await vite({ root: source, logLevel: 'silent', configFile: false, build: { ssr: true, write: false, minify: true, sourcemap: true, lib: { entry: input, formats: ['cjs'] }, rolldownOptions: { external } }, ssr: { external } })
  const c = (Array.isArray(r) ? r[0] : r).output.find(o => o.type === 'chunk')
  put('vite', 'main.js', c.code, c.map)
})
await step('rollup', async () => {
  const compile = { name: 'swc', resolveId(id, from) { if (id.startsWith('.')) for (const end of ['', '.ts', '.tsx']) { const f = resolve(dirname(from), id + end); if (existsSync(f)) return f } }, transform: (code, id) => swc(code, { filename: id, sourceMaps: true, jsc: { ...decorators, parser: { ...decorators.parser, tsx: id.endsWith('x') }, target: 'es2022' } }) }
  const b = await rollup({ input, external, plugins: [compile], onwarn() {} })
  const { output: [c] } = await b.generate({ format: 'cjs', sourcemap: true, interop: 'auto' })
  put('rollup', 'main.js', c.code, c.map)
  await minified('rollup', c.code, c.map)
})
for (const minify of [false, true]) await step('webpack', async () => {
  const name = minify ? 'webpack-min' : 'webpack'
  await new Promise((done, failed) => webpack({
    mode: minify ? 'production' : 'none', entry: input, target: 'node18', devtool: 'hidden-source-map', externals: Object.fromEntries(external.map(e => [e, `commonjs ${e}`])), resolve: { extensions: ['.ts', '.tsx', '.js'] },
    module: { rules: [{ test: /\.tsx?$/, loader: 'ts-loader', options: { transpileOnly: true, configFile: join(source, 'tsconfig.json'), compilerOptions: { module: 'ESNext', sourceMap: true } } }] },
    output: { path: join(out, 'webpack-out'), filename: `${name}.js`, devtoolModuleFilenameTemplate: '[absolute-resource-path]' }, performance: { hints: false },
  }, (err, stats) => err ?? stats.hasErrors() ? failed(err ?? new Error(stats.toString('errors-only'))) : done()))
  put(name, 'main.js', readFileSync(join(out, 'webpack-out', `${name}.js`), 'utf8'), readFileSync(join(out, 'webpack-out', `${name}.js.map`), 'utf8'))
})
for (const minify of [false, true]) await step('parcel', () => {
  const dir = join(out, 'parcel-out')
  const r = spawnSync(process.execPath, [join(here, 'parcel.mjs'), source, dir, String(minify)], { encoding: 'utf8', cwd: join(here, '..') })
  if (r.status !== 0) throw new Error(r.stderr)
  put(minify ? 'parcel-min' : 'parcel', 'main.js', readFileSync(join(dir, 'main.js'), 'utf8'), readFileSync(join(dir, 'main.js.map'), 'utf8'))
  rmSync(dir, { recursive: true })
})
// A bundle of what the compiler made for old engines, for the minifier that knows no newer language.
await step('tsc-es5 bundle', async () => {
  const stubs = { name: 'es5', setup(b) { b.onResolve({ filter: /^\.\// }, a => ({ path: join(out, 'tsc-es5', basename(a.path) + '.js') })) } }
  const r = await esbuild.build({ entryPoints: [join(out, 'tsc-es5/main.js')], bundle: true, format: 'cjs', platform: 'node', external, sourcemap: 'external', outfile: join(out, 'x/main.js'), write: false, logLevel: 'error', target: 'es5', plugins: [stubs], supported: { arrow: true } })
  await minified('tsc-es5-bundle', r.outputFiles.find(f => f.path.endsWith('.js')).text, r.outputFiles.find(f => f.path.endsWith('.map')).text)
})

const run = build => {
  const r = spawnSync(process.execPath, [join(out, build, 'main.js')], { encoding: 'utf8', maxBuffer: 1 << 28, cwd: join(here, '..'), env: { ...process.env, NODE_ENV: 'production' } })
  if (r.status !== 0) { console.error(`${build} does not run: ${r.stderr.slice(0, 600)}`); return [] }
  const seen = new Set()
  return JSON.parse(r.stdout.trim().split('\n').at(-1)).map(f => ({ ...f, file: f.file.replace(/^file:\/\//, '') })).filter(f => f.file.startsWith(join(out, build)) && !seen.has(`${f.file}:${f.line}:${f.column}`) && seen.add(`${f.file}:${f.line}:${f.column}`)).map(f => ({ ...f, file: basename(f.file) }))
}
const frames = {}
for (const build of builds) {
  const list = run(build)
  if (!list.length) continue
  if (build === 'tsc-esnext') {
    frames.original = list.map(f => {
      const map = new TraceMap(readFileSync(join(out, build, `${f.file}.map`), 'utf8'))
      const o = originalPositionFor(map, { line: f.line, column: f.column - 1 })
      return { ...f, file: o.source, line: o.line, column: o.column + 1 }
    }).filter(f => f.file)
  }
  frames[build] = list
}
writeFileSync(join(out, 'frames.json'), '{\n' + Object.entries(frames).map(([k, v]) => `${JSON.stringify(k)}: [\n${v.map(f => JSON.stringify(f)).join(',\n')}]`).join(',\n') + '\n}\n')
for (const [k, v] of Object.entries(frames)) console.log(k, v.length)
for (const dir of ['webpack-out', 'x']) rmSync(join(out, dir), { recursive: true, force: true })
