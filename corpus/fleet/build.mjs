// The tool chains that the corpus is built by: each gives one minified bundle
// with its map.
import { readFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { createRequire } from 'node:module'
import commonjs from '@rollup/plugin-commonjs'
import resolve from '@rollup/plugin-node-resolve'
import swc from '@swc/core'
import vue from '@vitejs/plugin-vue'
import * as esbuild from 'esbuild'
import { rolldown } from 'rolldown'
import { rollup } from 'rollup'
import { minify as terser } from 'terser'
import { build as vite } from 'vite'
import webpack from 'webpack'

const require = createRequire(import.meta.url)
const define = { 'process.env.NODE_ENV': '"production"' }
const parse = m => (typeof m === 'string' ? JSON.parse(m) : m)

// swcRollup compiles TypeScript and JSX by swc within rollup.
const compile = (file, text) => swc.transform(text, { filename: file, sourceMaps: true, jsc: { target: 'es2022', parser: { syntax: 'typescript', tsx: file.endsWith('x') }, transform: { react: { runtime: 'automatic' } } } })
const swcRollup = { name: 'swc', async transform(text, file) { return /\.tsx?$/.test(file) ? compile(file, text) : null } }
const production = { name: 'production', transform: text => (text.includes('process.env.NODE_ENV') ? { code: text.replaceAll('process.env.NODE_ENV', '"production"'), map: null } : null) }

export const builders = {
  async esbuild(input, platform) {
    const r = await esbuild.build({ entryPoints: [input], bundle: true, format: 'esm', platform, minify: true, jsx: 'automatic', define, sourcemap: 'external', outfile: join(dirname(input), 'x.js'), write: false })
    return { code: r.outputFiles.find(f => f.path.endsWith('.js')).text, map: parse(r.outputFiles.find(f => f.path.endsWith('.map')).text) }
  },
  async vite(input, platform) {
    const r = await vite({ configFile: false, logLevel: 'silent', root: join(dirname(input), '..'), define, ssr: platform === 'node' ? { noExternal: true } : undefined, build: { write: false, sourcemap: true, minify: true, ssr: platform === 'node' ? input : false, rollupOptions: { input, preserveEntrySignatures: 'strict' } } })
    const chunk = (Array.isArray(r) ? r[0] : r).output.find(c => c.type === 'chunk')
    return { code: chunk.code, map: parse(chunk.map) }
  },
  async rolldown(input, platform) {
    const { output: [c] } = await (await rolldown({ input, platform, logLevel: 'silent', transform: { define } })).generate({ format: 'esm', sourcemap: true, minify: true })
    return { code: c.code, map: c.map }
  },
  async rollup(input, platform) {
    const { output: [p] } = await (await rollup({ input, onwarn() {}, external: platform === 'node' ? /^node:/ : [], plugins: [resolve({ extensions: ['.ts', '.tsx', '.js'] }), swcRollup, production, commonjs()] })).generate({ format: 'esm', sourcemap: true })
    const r = await terser(p.code, { module: true, sourceMap: { content: p.map, includeSources: true } })
    return { code: r.code, map: parse(r.map) }
  },
  async swc(input, platform) {
    const { output: [p] } = await (await rollup({ input, onwarn() {}, external: platform === 'node' ? /^node:/ : [], plugins: [resolve({ extensions: ['.ts', '.tsx', '.js'] }), swcRollup, production, commonjs()] })).generate({ format: 'esm', sourcemap: true })
    const r = await swc.minify(p.code, { module: true, compress: true, mangle: true, sourceMap: { content: JSON.stringify(p.map) } })
    const map = parse(r.map)
    return { code: r.code, map: { ...map, sources: map.sources.length === p.map.sources.length ? p.map.sources : map.sources, sourcesContent: map.sourcesContent ?? p.map.sourcesContent } }
  },
  webpack(input, platform) {
    return new Promise((done, fail) => {
      const dir = join(dirname(input), '..', 'webpack-' + platform)
      webpack({ mode: 'production', entry: input, target: platform === 'node' ? 'node' : 'web', devtool: 'source-map', output: { path: dir, filename: 'x.js', module: true, chunkFormat: 'module', devtoolModuleFilenameTemplate: '[absolute-resource-path]' }, experiments: { outputModule: true }, resolve: { extensions: ['.ts', '.tsx', '.js'] },
        module: { rules: [{ test: /\.tsx?$/, use: { loader: require.resolve('ts-loader'), options: { transpileOnly: true, configFile: join(dirname(input), '..', 'tsconfig.json') } } }] } }, (e, stats) => {
        if (e || stats.hasErrors()) return fail(e ?? new Error(stats.toString('errors-only')))
        done({ code: readFileSync(join(dir, 'x.js'), 'utf8'), map: JSON.parse(readFileSync(join(dir, 'x.js.map'), 'utf8')) })
      })
    })
  },
}

// vueBuild builds the Vue components by vite with a minifier.
export async function vueBuild(dir, minify) {
  const input = join(dir, 'src/vue.ts')
  const r = await vite({ configFile: false, logLevel: 'silent', root: dir, plugins: [vue()], define, build: { write: false, sourcemap: true, minify: minify === 'oxc' ? true : minify, rollupOptions: { input } } })
  const chunk = (Array.isArray(r) ? r[0] : r).output.find(c => c.type === 'chunk')
  return { code: chunk.code, map: parse(chunk.map) }
}
