import { defineConfig, mergeConfig } from 'vitest/config'

import vite from './vite.config.ts'

// Tests of components run in a page of happy-dom: they say so in their first line.
export default mergeConfig(
  vite,
  defineConfig({ test: { server: { deps: { inline: ['vuetify'] } } } }),
)
