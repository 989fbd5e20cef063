import tailwindcss from '@tailwindcss/vite'
import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

// No inlined assets and no preload polyfill: the Content-Security-Policy needs no exception.
export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { outDir: 'dist/app', emptyOutDir: true, assetsInlineLimit: 0, modulePreload: { polyfill: false } },
})
