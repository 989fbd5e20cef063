import tailwindcss from '@tailwindcss/vite'
import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

// No inlined assets and no preload polyfill: the Content-Security-Policy needs no exception.
// In the mode "components" only the page of all components is built, beside the product.
export default defineConfig(({ mode }) => ({
  plugins: [react(), tailwindcss()],
  build: {
    outDir: mode === 'components' ? 'build/components' : 'dist/app', emptyOutDir: true, assetsInlineLimit: 0, modulePreload: { polyfill: false },
    ...(mode === 'components' ? { rolldownOptions: { input: 'components.html' } } : {}),
  },
}))
