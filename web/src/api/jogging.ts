import type { Schemas } from './client'

export type JogRequest = Omit<Schemas['JogRequest'], 'number'>
export type JogAnswer = Schemas['JogAnswer']

/** Waits this long before it tries again to be heard, ms. */
const AGAIN_MS = 500

/**
 * Asks where everything is with joints elsewhere, as fast as the hand: of what is asked while an
 * answer is on its way only the last counts.
 */
export class JogSocket {
  private socket: WebSocket | null = null
  private waiting: JogRequest | null = null
  private asked = 0
  private busy = false
  private closed = false

  constructor(
    private url: string,
    /** `last` says whether nothing else has been asked meanwhile. */
    private heard: (answer: JogAnswer, last: boolean) => void,
    private refused: (said: string) => void,
  ) {}

  ask(request: JogRequest) {
    this.waiting = request
    this.go()
  }

  close() {
    this.closed = true
    this.waiting = null
    this.socket?.close()
  }

  private go() {
    if (this.busy || !this.waiting || this.closed) return
    if (!this.socket) return this.open()
    if (this.socket.readyState !== WebSocket.OPEN) return
    this.busy = true
    this.socket.send(JSON.stringify({ ...this.waiting, number: ++this.asked }))
    this.waiting = null
  }

  private open() {
    const socket = (this.socket = new WebSocket(this.url))
    socket.onopen = () => this.go()
    socket.onmessage = (message) => this.take(JSON.parse(message.data as string))
    socket.onclose = () => {
      this.socket = null
      this.busy = false
      // What was asked last is asked again when somebody listens.
      if (this.waiting) setTimeout(() => this.go(), AGAIN_MS)
    }
  }

  private take(said: JogAnswer | { detail: string }) {
    this.busy = false
    if ('detail' in said) this.refused(said.detail)
    else this.heard(said, !this.waiting)
    this.go()
  }
}

/** Where jogging of a cell is heard. */
export const jogUrl = (cell: string) =>
  `${location.protocol === 'https:' ? 'wss' : 'ws'}://${location.host}/api/cells/${cell}/jogging`
