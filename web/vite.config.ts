import { fileURLToPath, URL } from 'node:url'
import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vitest/config'
import vuetify from 'vite-plugin-vuetify'

export default defineConfig({
  plugins: [vue(), vuetify({ autoImport: true })],
  resolve: { alias: { '@': fileURLToPath(new URL('./src', import.meta.url)) } },
  server: { proxy: { '/api': process.env.SARVEX_API ?? 'http://127.0.0.1:8440' } },
  // The server puts a fresh one in its place each time, and tells the browser which (sarvex/api/app.py).
  html: { cspNonce: 'STYLE_NONCE' },
  build: { chunkSizeWarningLimit: 900 },
  // Components are tested in a document of their own (`@vitest-environment happy-dom` at the top of such a file).
  test: { css: false, server: { deps: { inline: ['vuetify'] } } },
})
