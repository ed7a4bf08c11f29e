#!/usr/bin/env node
// How fast jogging is answered over the socket: 60 requests a second for ten seconds, each another pose of an arm, with its three
// nearest pairs.
//
//     node tools/bench/jog.mjs http://127.0.0.1:7780 CELL ITEM/JOINT [TCP]
import { createRequire } from 'node:module'

const WebSocket = createRequire(new URL('../../web/package.json', import.meta.url))('ws')
const [server, cell, joint, tcp] = process.argv.slice(2)
if (!joint) throw new Error('usage: jog.mjs SERVER CELL ITEM/JOINT [TCP]')
const [RATE_HZ, SECONDS] = [60, 10]

const socket = new WebSocket(`${server.replace('http', 'ws')}/api/cells/${cell}/jogging`)
const sent = new Map()
const took = []
socket.on('message', (text) => {
  const { number, detail } = JSON.parse(text)
  if (detail) throw new Error(detail)
  took.push(performance.now() - sent.get(number))
})
await new Promise((done) => socket.on('open', done))
for (let number = 1; number <= RATE_HZ * SECONDS; number++) {
  const value = 60 * Math.sin(number / 40)
  const request = { number, joints_deg_or_mm: { [joint]: value }, tcp, frame: 'world', nearest: 3 }
  sent.set(number, performance.now())
  socket.send(JSON.stringify(request))
  await new Promise((done) => setTimeout(done, 1000 / RATE_HZ))
}
await new Promise((done) => setTimeout(done, 500))
socket.close()
took.sort((a, b) => a - b)
const share = (part) => took[Math.floor(part * (took.length - 1))].toFixed(2)
const told = `half within ${share(0.5)} ms, 95 % within ${share(0.95)} ms, all within ${share(1)} ms`
process.stdout.write(`${took.length} answers: ${told}\n`)
