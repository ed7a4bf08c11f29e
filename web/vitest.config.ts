import { defineConfig, mergeConfig } from 'vitest/config'

import vite from './vite.config.ts'

// Files of tests share a page of happy-dom, and what they import: most of the time went into doing both anew for each.
export default mergeConfig(
  vite,
  defineConfig({
    test: {
      server: { deps: { inline: ['vuetify'] } },
      environment: 'happy-dom',
      isolate: false,
      setupFiles: 'src/testing/setup.ts',
    },
  }),
)
