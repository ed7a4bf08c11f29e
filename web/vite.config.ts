import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'
import vuetify from 'vite-plugin-vuetify'

const server = process.env.SELVIK_SERVER ?? 'http://127.0.0.1:7780'

export default defineConfig({
  plugins: [vue(), vuetify({ autoImport: true })],
  build: { chunkSizeWarningLimit: 1600, assetsInlineLimit: 0 },
  server: { proxy: { '/api': { target: server, ws: true, changeOrigin: true } } },
})
