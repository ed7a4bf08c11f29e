/** What all tests have in common: nobody asks a server, and none leaves anything to the next. */
import { afterAll, afterEach, beforeAll, vi } from 'vitest'

import { freshStores } from './freshStores'
import { unmountAll } from './mounted'

vi.mock('../api/client', async (original) => (await import('./standIn')).standInFor(original))

/** A line on which nobody answers. */
class Silence {
  send() {}
  close() {}
}

beforeAll(() => vi.stubGlobal('WebSocket', Silence))

afterEach(unmountAll)

afterAll(() => {
  freshStores()
  vi.useRealTimers()
  vi.unstubAllGlobals()
  vi.restoreAllMocks()
  document.body.innerHTML = ''
  localStorage.clear()
})
