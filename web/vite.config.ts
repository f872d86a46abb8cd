import tailwindcss from '@tailwindcss/vite'
import react from '@vitejs/plugin-react'
import { compression, defineAlgorithm } from 'vite-plugin-compression2'
import { defineConfig } from 'vitest/config'

export default defineConfig({
  // Files are compressed once, when the interface is built; the server sends what stands beside them.
  plugins: [react(), tailwindcss(), compression({ algorithms: [defineAlgorithm('gzip', { level: 9 }), defineAlgorithm('brotliCompress')], threshold: 1000 })],
  test: { environment: 'jsdom', include: ['tests/**/*.test.{ts,tsx}'] },
  build: { target: 'es2022', chunkSizeWarningLimit: 900, modulePreload: { polyfill: false }, assetsInlineLimit: 0 },
})
