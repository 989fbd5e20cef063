import { defineConfig } from 'vite'

// Two builds of one package: the browser's, without a word of Node, whose
// seldom needed parts are loaded by themselves; and Node's, in one file.
export default defineConfig(({ mode }) => ({
  build: {
    outDir: 'dist',
    emptyOutDir: mode !== 'node',
    minify: false, // the output's own is used: it leaves no white space
    target: 'es2022',
    lib: { entry: mode === 'node' ? { node: 'src/node.ts' } : { browser: 'src/browser.ts', feedback: 'src/feedback.ts' }, formats: ['es'] },
    rolldownOptions: {
      external: [/^node:/],
      preserveEntrySignatures: 'allow-extension',
      output: { minify: true, entryFileNames: '[name].js', chunkFileNames: '[name]-[hash].js' },
    },
  },
}))
