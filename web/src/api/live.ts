import { useWebSocket } from '@vueuse/core'
import { watch } from 'vue'

import type { Schemas } from './client'

export type LiveEvent = Schemas['Event']

/** Listens to the server; reconnects by itself and then asks for a catch-up. */
export function useLive(heard: (event: LiveEvent) => void, reconnected: () => void) {
  const scheme = location.protocol === 'https:' ? 'wss' : 'ws'
  const { status } = useWebSocket<string>(`${scheme}://${location.host}/api/live`, {
    autoReconnect: { delay: 500 },
    // Each is heard, also one that is the same as that before.
    onMessage: (_, { data }: MessageEvent<string>) => heard(JSON.parse(data) as LiveEvent),
  })
  let before = false
  watch(status, (now) => {
    if (now === 'OPEN' && before) reconnected()
    before ||= now === 'OPEN'
  })
  return { status }
}
