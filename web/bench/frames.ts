/**
 * How long frames of the picture take in this browser, beside a plain three.js drawing of the same
 * triangles. `?cell=ID&tell=URL`: the figures are posted there. `tools/bench/frames.py` runs it.
 */
import * as THREE from 'three'

import { answer, api, type Style, type Vec3, type Viewpoint } from '../src/api/client'
import type { SceneBody } from '../src/scene/bodies'
import { palettes } from '../src/scene/look'
import { loadMeshes, prepareLevels } from '../src/scene/meshes'
import { Scene } from '../src/scene/scene'

const asked = new URLSearchParams(location.search)

/** As large as the picture in a window of 1280×800. */
const [WIDTH, HEIGHT] = [754, 591]
const FRAMES = 9
const STEP_DEG = 3
const STYLES = (asked.get('styles')?.split(',') ?? [
  'shaded',
  'shaded_edges',
  'hidden_removed',
  'hidden_dashed',
  'wireframe',
]) as Style[]

interface Figure {
  what: string
  /** Until a pixel could be read back. */
  moving_ms: number[]
  /** Of that, script alone. */
  script_ms: number[]
  /** From the last of them until all is fine. */
  fine_ms?: number
}

const median = (of: number[]) => [...of].sort((a, b) => a - b)[Math.floor(of.length / 2)]!

/** Waits until all is drawn. */
function readBack(canvas: HTMLCanvasElement) {
  const gl = canvas.getContext('webgl2')!
  gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4))
}

/** All triangles in one plain lit mesh, no lines, no shadows. */
async function plain(bodies: SceneBody[], places: THREE.Matrix4[], viewpoints: Viewpoint[]) {
  const canvas = document.body.appendChild(document.createElement('canvas'))
  const renderer = new THREE.WebGLRenderer({ canvas, preserveDrawingBuffer: true })
  renderer.setSize(WIDTH, HEIGHT, false)
  const scene = new THREE.Scene()
  scene.background = new THREE.Color('#f5f2ea')
  const sun = new THREE.DirectionalLight('#ffffff', 2)
  sun.position.set(-1, -2, 3)
  scene.add(new THREE.HemisphereLight('#ffffff', '#999999', 1), sun)
  const count = bodies.reduce((n, b) => n + b.mesh.corners.positions.length, 0)
  const positions = new Float32Array(count)
  const normals = new Float32Array(count)
  const indices: number[] = []
  let at = 0
  const v = new THREE.Vector3()
  for (const { node, mesh } of bodies) {
    const { positions: p, normals: n, indices: joined } = mesh.corners
    for (const i of joined) indices.push(i + at / 3)
    for (let i = 0; i < p.length; i += 3) {
      v.fromArray(p, i)
        .applyMatrix4(places[node]!)
        .toArray(positions, at + i)
      v.fromArray(n, i)
        .transformDirection(places[node]!)
        .toArray(normals, at + i)
    }
    at += p.length
  }
  const geometry = new THREE.BufferGeometry()
  geometry.setAttribute('position', new THREE.BufferAttribute(positions, 3))
  geometry.setAttribute('normal', new THREE.BufferAttribute(normals, 3))
  geometry.setIndex(indices)
  scene.add(new THREE.Mesh(geometry, new THREE.MeshLambertMaterial({ color: '#7d9db5' })))
  const camera = new THREE.PerspectiveCamera(30, WIDTH / HEIGHT, 0.1, 200)
  camera.up.set(0, 0, 1)
  const times: number[] = []
  for (const viewpoint of viewpoints) {
    await new Promise(requestAnimationFrame)
    const target = new THREE.Vector3(...(viewpoint.pivot_mm as Vec3)).multiplyScalar(1e-3)
    const bearing = THREE.MathUtils.degToRad(viewpoint.bearing_deg)
    const level = Math.cos(THREE.MathUtils.degToRad(viewpoint.elevation_deg))
    const back = new THREE.Vector3(
      Math.sin(bearing) * level,
      -Math.cos(bearing) * level,
      Math.sin(THREE.MathUtils.degToRad(viewpoint.elevation_deg)),
    )
    camera.position.copy(target).addScaledVector(back, viewpoint.distance_mm * 1e-3)
    camera.lookAt(target)
    const start = performance.now()
    renderer.render(scene, camera)
    readBack(canvas)
    times.push(performance.now() - start)
  }
  renderer.dispose()
  canvas.remove()
  return times.slice(1)
}

async function measure() {
  const id = asked.get('cell')!
  const cell = await answer(api.GET('/api/cells/{id}', { params: { path: { id } } }))
  const meshes = await loadMeshes(id, cell.bodies)
  const bodies = cell.bodies.map((b) => ({
    item: b.item,
    node: b.node,
    mesh: meshes.get(b.mesh)!,
  }))

  const canvas = document.querySelector<HTMLCanvasElement>('#picture')!
  let drawn: (ms: number) => void = () => undefined
  const scene: Scene = new Scene(canvas, palettes.light, () => {
    const start = performance.now()
    readBack(canvas)
    drawn(performance.now() - start + (scene?.scriptMs ?? 0))
  })
  const frame = () => new Promise<number>((done) => (drawn = done))
  scene.resize(WIDTH, HEIGHT)
  scene.stage.setBodies(
    bodies,
    new Map(cell.document.items.map((i) => [i.id, { role: i.role as string, colour: i.colour }])),
    [],
    cell.poses,
    cell.moving_nodes,
  )
  const items = new Set(bodies.map((b) => b.item))
  scene.stage.setShown({ visible: items, ghosts: new Set(), selected: new Set(), hovered: null })

  const prepared = performance.now()
  prepareLevels(bodies.map((b) => b.mesh))
  while (bodies.some((b) => !b.mesh.levels)) await new Promise((done) => setTimeout(done, 50))
  const levels_ms = performance.now() - prepared

  const first = cell.document.views?.[0]?.viewpoint
  const viewpoint = {
    projection: 'perspective',
    lens_mm: 50,
    bearing_deg: 35,
    elevation_deg: 25,
    roll_deg: 0,
    pivot_mm: [0, 0, 800],
    distance_mm: Number(asked.get('distance') ?? 12000),
    ...(asked.get('distance') ? {} : first),
  } as Viewpoint
  const turned = Array.from({ length: FRAMES + 1 }, (_, i) => ({
    ...viewpoint,
    bearing_deg: viewpoint.bearing_deg + i * STEP_DEG,
  }))
  const rest = () => new Promise((done) => setTimeout(done, 100))

  const triangles = bodies.reduce((n, b) => n + b.mesh.corners.indices.length / 3, 0)
  const lines = bodies.reduce((n, b) => n + b.mesh.edges.length / 6, 0)
  const places = cell.poses.map((pose) =>
    new THREE.Matrix4().compose(
      new THREE.Vector3(pose[0], pose[1], pose[2]),
      new THREE.Quaternion(pose[3], pose[4], pose[5], pose[6]),
      new THREE.Vector3(1, 1, 1),
    ),
  )
  const figures: Figure[] = []
  figures.push({ what: 'plain', moving_ms: await plain(bodies, places, turned), script_ms: [0] })
  const draw = async (viewpoint: Viewpoint, style: Style) => {
    const next = frame()
    const pane = { index: 0, viewpoint, style, colours: 'role' as const }
    scene.setPanes([{ ...pane, left: 0, top: 0, width: WIDTH, height: HEIGHT }], 0)
    return next
  }
  for (const style of STYLES) {
    // Once to make ready, then as if the hand turned it.
    await draw(turned[0]!, style)
    const moving: number[] = []
    const script: number[] = []
    for (const v of turned.slice(1)) {
      moving.push(await draw(v, style))
      script.push(scene.scriptMs)
    }
    // At rest it becomes fine.
    const moved = performance.now()
    const becameFine = await Promise.race([
      frame().then(() => true),
      new Promise<undefined>((done) => setTimeout(done, 30000)),
    ])
    const fine = becameFine ? performance.now() - moved : undefined
    figures.push({ what: style, moving_ms: moving, script_ms: script, fine_ms: fine })
    await rest()
  }
  // As while a program plays: what moves stands elsewhere in each frame.
  await draw(turned[0]!, 'shaded_edges')
  const playing: number[] = []
  const script: number[] = []
  for (let i = 0; i < FRAMES; i++) {
    const next = frame()
    scene.stage.setPoses(
      cell.moving_nodes,
      cell.moving_nodes.map((n) => cell.poses[n]!),
    )
    playing.push(await next)
    script.push(scene.scriptMs)
  }
  figures.push({ what: 'playing', moving_ms: playing, script_ms: script })
  return {
    triangles,
    lines,
    levels_ms,
    figures: figures.map((f) => ({
      ...f,
      median_ms: median(f.moving_ms),
      script_median_ms: median(f.script_ms),
    })),
  }
}

measure()
  .catch((e: unknown) => ({ failed: String(e) }))
  .then((told) =>
    fetch(asked.get('tell')!, { method: 'POST', mode: 'no-cors', body: JSON.stringify(told) }),
  )
