import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'
import vuetify from 'vite-plugin-vuetify'

const server = process.env.SELVIK_SERVER ?? 'http://127.0.0.1:7780'

export default defineConfig({
  plugins: [vue(), vuetify({ autoImport: true })],
  // Everything is written with the composition API, ours and that of the libraries.
  define: { __VUE_OPTIONS_API__: 'false' },
  build: { chunkSizeWarningLimit: 1600, assetsInlineLimit: 0 },
  // The server hears its own pages only: what comes through here is to look like one of them.
  server: {
    proxy: {
      '/api': { target: server, ws: true, changeOrigin: true, headers: { origin: server } },
    },
  },
})
