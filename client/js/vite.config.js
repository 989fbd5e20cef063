import { dirname, resolve } from 'node:path'
import { build, defineConfig } from 'vite'

/**
 * Bundles what a thread or worker runs into a text of its own: a function that
 * is printed at run time breaks when the application's bundler renames or
 * instruments it.
 */
const texts = {
  name: 'texts',
  resolveId: (id, from) => (id.startsWith('text:') ? '\0text:' + resolve(dirname(from), id.slice(5)) : undefined),
  async load(id) {
    if (!id.startsWith('\0text:')) return undefined
    const entry = id.slice(6)
    this.addWatchFile(entry)
    const [out] = await build({
      configFile: false,
      logLevel: 'warn',
      build: { write: false, target: 'es2022', minify: true, lib: { entry, formats: ['iife'], name: 'firethornPart' } },
    })
    return `export default ${JSON.stringify(out.output[0].code)}`
  },
}

const entries = {
  browser: { browser: 'src/browser.ts', feedback: 'src/feedback.ts' },
  node: { node: 'src/node.ts' },
  build: { symbols: 'src/symbols.ts', 'debug-ids': 'src/debug-ids.ts' },
}

// The builds of one package: the browser's, without a word of Node, whose
// seldom needed parts are loaded by themselves; Node's, in one file; and the
// plugins for bundlers. Each as ES modules, and again as CommonJS, where a
// part cannot be loaded by itself.
export default defineConfig(({ mode }) => {
  const [what, format = 'es'] = mode.split('-')
  const cjs = format === 'cjs'
  return {
    plugins: [texts],
    build: {
      outDir: cjs ? 'dist/cjs' : 'dist',
      emptyOutDir: mode === 'browser',
      minify: false, // the output's own is used: it leaves no white space
      target: 'es2022',
      lib: { entry: entries[what], formats: [format] },
      rolldownOptions: {
        external: [/^node:/],
        checks: { pluginTimings: false }, // the texts are builds of their own
        preserveEntrySignatures: 'allow-extension',
        output: { minify: true, entryFileNames: '[name].js', chunkFileNames: '[name]-[hash].js' },
      },
    },
  }
})
