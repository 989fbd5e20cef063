import { defineConfig } from 'vite'

// One package, two entries: the browser's without a word of Node, and Node's.
export default defineConfig({
  build: {
    outDir: 'dist',
    minify: true,
    target: 'es2022',
    lib: { entry: { browser: 'src/browser.ts', node: 'src/node.ts' }, formats: ['es'] },
    rolldownOptions: { external: [/^node:/], output: { entryFileNames: '[name].js', chunkFileNames: 'core-[hash].js' } },
  },
})
