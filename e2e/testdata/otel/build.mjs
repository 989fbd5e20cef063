// Builds the page: node build.mjs OUT
import { build } from 'vite'

await build({ root: new URL('./page', import.meta.url).pathname, logLevel: 'error', base: './', build: { outDir: process.argv[2], emptyOutDir: true, minify: false } })
