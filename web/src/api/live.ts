import { useWebSocket } from '@vueuse/core'
import { watch } from 'vue'

import type { Schemas } from './client'

export type LiveEvent = Schemas['Event']

/** Listens to the server; reconnects by itself and then asks for a catch-up. */
export function useLive(heard: (event: LiveEvent) => void, reconnected: () => void) {
  const scheme = location.protocol === 'https:' ? 'wss' : 'ws'
  const { status, data } = useWebSocket<string>(`${scheme}://${location.host}/api/live`, {
    autoReconnect: { delay: 500 },
  })
  let before = false
  watch(status, (now) => {
    if (now === 'OPEN' && before) reconnected()
    before ||= now === 'OPEN'
  })
  watch(data, (text) => text && heard(JSON.parse(text) as LiveEvent), { flush: 'sync' })
  return { status }
}
