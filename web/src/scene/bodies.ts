import * as THREE from 'three'

import type { Style } from '../api/client'
import type { DrawnMesh } from './meshes'
import { contourGeometry } from './contours'
import {
  edgeLines,
  ghostFaces,
  GHOST,
  litFaces,
  paperFaces,
  shadowDepth,
  SHOWN,
  type StateUniforms,
} from './materials'

/** How a body is drawn, as the shaders read it. */
function stateOf(shown: boolean, ghost: boolean): number {
  if (shown) return SHOWN
  return ghost ? GHOST : 0
}

export interface SceneBody {
  item: string
  node: number
  mesh: DrawnMesh
}

/** Where something stands in the world. */
type Place = Pick<THREE.Object3D, 'matrix' | 'matrixWorldNeedsUpdate'>

/** How an item is drawn now. */
export interface ItemState {
  colour: THREE.Color
  shown: boolean
  ghost: boolean
  selected: boolean
}

interface Batch {
  faces: THREE.Mesh
  ghosts: THREE.Mesh
  edges: THREE.LineSegments
  behind: THREE.LineSegments
  /** The outlines of what is round, made when a style first asks for them. */
  contours?: THREE.LineSegments
  contoursBehind?: THREE.LineSegments
  addContours: () => void
  /** Transforms bodies of the batch anew that stand elsewhere now. */
  rebake: () => boolean
}

/**
 * All bodies of a cell. Those that share a coordinate system, and all that never move, are drawn
 * together; what is shown of each item stands in a texture.
 */
export class Bodies {
  readonly group = new THREE.Group()
  /** Coordinate systems. Those that move carry what is drawn; all others are just places. */
  readonly nodes: Place[]
  /** All that is drawn, shown or not. */
  readonly triangles: number
  /** Whether anything is ghosted: if not, that pass is left out. */
  private anyGhost = false
  private index = new Map<string, number>()
  private texture: THREE.DataTexture
  private batches: Batch[] = []
  private uniforms: StateUniforms
  private lit
  private paperMaterial
  private ghost
  private depth
  private halfSize = { value: new THREE.Vector2(500, 500) }
  private lines: Record<'edges' | 'behind' | 'contours' | 'contoursBehind', THREE.ShaderMaterial>

  constructor(
    readonly bodies: SceneBody[],
    poses: ArrayLike<number>[],
    moving: number[],
    items: string[],
  ) {
    items.forEach((item, i) => this.index.set(item, i))
    this.triangles = bodies.reduce((n, b) => n + b.mesh.corners.indices.length / 3, 0)
    const width = 64
    const height = Math.max(1, Math.ceil(items.length / width))
    this.texture = new THREE.DataTexture(
      new Uint8Array(width * height * 4),
      width,
      height,
      THREE.RGBAFormat,
    )
    this.texture.colorSpace = THREE.SRGBColorSpace
    this.uniforms = {
      states: { value: this.texture },
      paper: { value: new THREE.Color() },
      ink: { value: new THREE.Color() },
      plum: { value: new THREE.Color() },
    }
    this.lit = litFaces(this.uniforms)
    this.paperMaterial = paperFaces(this.uniforms)
    this.ghost = ghostFaces(this.uniforms)
    this.depth = shadowDepth(this.uniforms)
    this.lines = {
      edges: edgeLines(this.uniforms, 'edges', false),
      behind: edgeLines(this.uniforms, 'edges', true),
      contours: edgeLines(this.uniforms, 'contours', false),
      contoursBehind: edgeLines(this.uniforms, 'contours', true),
    }
    for (const { uniforms } of Object.values(this.lines)) uniforms.halfSize = this.halfSize

    const mobile = new Map(moving.map((node) => [node, new THREE.Group()]))
    this.nodes = poses.map((pose, i) => {
      const node = mobile.get(i) ?? { matrix: new THREE.Matrix4(), matrixWorldNeedsUpdate: false }
      place(node, pose)
      return node
    })
    const standing = bodies.filter((b) => !mobile.has(b.node))
    if (standing.length) this.add(this.group, standing, (b) => this.nodes[b.node]!.matrix)
    for (const [node, group] of mobile) {
      group.matrixAutoUpdate = false
      const some = bodies.filter((b) => b.node === node)
      if (some.length) this.add(group, some, () => new THREE.Matrix4())
      this.group.add(group)
    }
  }

  private add(parent: THREE.Object3D, bodies: SceneBody[], place: (b: SceneBody) => THREE.Matrix4) {
    const corners = bodies.reduce((n, b) => n + b.mesh.corners.positions.length, 0)
    const indices = new Uint32Array(bodies.reduce((n, b) => n + b.mesh.corners.indices.length, 0))
    const ends = bodies.reduce((n, b) => n + b.mesh.edges.length, 0)
    const [positions, normals] = [new Float32Array(corners), new Int16Array((corners / 3) * 4)]
    const items = new Uint16Array(corners / 3)
    const [lines, lineItems] = [new Float32Array(ends), new Uint16Array(ends / 3)]
    let [at, end, index] = [0, 0, 0]
    const baked = bodies.map((body) => {
      const matrix = place(body).clone()
      const item = this.index.get(body.item) ?? 0
      const [corner0, line0, { positions: p, indices: joined }] = [at, end, body.mesh.corners]
      for (const corner of joined) indices[index++] = corner + at / 3
      bake(body.mesh, matrix, positions, normals, lines, corner0, line0)
      items.fill(item, at / 3, (at + p.length) / 3)
      at += p.length
      lineItems.fill(item, end / 3, (end + body.mesh.edges.length) / 3)
      end += body.mesh.edges.length
      return { body, matrix, corner0, line0 }
    })
    const solid = new THREE.BufferGeometry()
    solid.setAttribute('position', new THREE.BufferAttribute(positions, 3))
    solid.setAttribute(
      'normal',
      new THREE.InterleavedBufferAttribute(new THREE.InterleavedBuffer(normals, 4), 3, 0, true),
    )
    solid.setAttribute('item', new THREE.BufferAttribute(items, 1))
    solid.setIndex(new THREE.BufferAttribute(indices, 1))
    const wire = new THREE.BufferGeometry()
    wire.setAttribute('position', new THREE.BufferAttribute(lines, 3))
    wire.setAttribute('item', new THREE.BufferAttribute(lineItems, 1))
    const line = (geometry: THREE.BufferGeometry, kind: keyof typeof this.lines, order: number) => {
      const drawn = new THREE.LineSegments(geometry, this.lines[kind])
      drawn.renderOrder = order
      drawn.frustumCulled = false
      parent.add(drawn)
      return drawn
    }
    const batch: Batch = {
      faces: new THREE.Mesh(solid, this.lit),
      ghosts: new THREE.Mesh(solid, this.ghost),
      edges: line(wire, 'edges', 2),
      behind: line(wire, 'behind', 1),
      addContours: () => {
        const placed = bodies.map((b) => ({
          edges: b.mesh.soft(),
          matrix: place(b),
          item: this.index.get(b.item) ?? 0,
        }))
        const geometry = contourGeometry(placed)
        batch.contours = line(geometry, 'contours', 2)
        batch.contoursBehind = line(geometry, 'contoursBehind', 1)
      },
      rebake: () => {
        const moved = baked.filter((b) => !b.matrix.equals(place(b.body)))
        for (const b of moved) {
          b.matrix.copy(place(b.body))
          bake(b.body.mesh, b.matrix, positions, normals, lines, b.corner0, b.line0)
        }
        if (!moved.length) return false
        for (const attribute of ['position', 'normal']) {
          const of = solid.getAttribute(attribute)
          if (of instanceof THREE.InterleavedBufferAttribute) of.data.needsUpdate = true
          else of.needsUpdate = true
        }
        wire.getAttribute('position').needsUpdate = true
        // The outlines are made anew when a style asks for them again.
        for (const drawn of [batch.contours, batch.contoursBehind]) drawn?.removeFromParent()
        batch.contours?.geometry.dispose()
        delete batch.contours
        delete batch.contoursBehind
        return true
      },
    }
    batch.faces.castShadow = batch.faces.receiveShadow = true
    batch.faces.customDepthMaterial = this.depth
    batch.ghosts.renderOrder = 3
    for (const drawn of [batch.faces, batch.ghosts]) {
      drawn.frustumCulled = false
      parent.add(drawn)
    }
    this.batches.push(batch)
  }

  /** The ground alone shows shadows. */
  withoutShadows() {
    for (const { faces } of this.batches) faces.receiveShadow = false
  }

  setPoses(nodes: number[], poses: ArrayLike<number>[]) {
    poses.forEach((pose, i) => place(this.nodes[nodes[i]!]!, pose))
  }

  /**
   * Takes all coordinate systems to other places: those that stand still are drawn anew where they
   * are now.
   */
  setRest(poses: ArrayLike<number>[]) {
    poses.forEach((pose, i) => place(this.nodes[i]!, pose))
    this.rebake()
  }
  /**
   * Takes some coordinate systems along with a motion in the world, from where `from` says they
   * stood.
   */
  carry(nodes: Iterable<number>, from: THREE.Matrix4[], motion: THREE.Matrix4) {
    for (const n of nodes) {
      this.nodes[n]!.matrix.copy(motion).multiply(from[n]!)
      this.nodes[n]!.matrixWorldNeedsUpdate = true
    }
    this.rebake()
  }
  private rebake() {
    for (const batch of this.batches) batch.rebake()
  }

  /** Writes how each item is drawn. */
  setStates(state: (item: string) => ItemState) {
    const data = this.texture.image.data as Uint8Array
    this.anyGhost = false
    for (const [item, i] of this.index) {
      const { colour, shown, ghost, selected } = state(item)
      this.anyGhost ||= ghost
      const { r, g, b } = colour.clone().convertLinearToSRGB()
      data.set(
        [r * 255, g * 255, b * 255, stateOf(shown, ghost) - (selected && (shown || ghost) ? 1 : 0)],
        i * 4,
      )
    }
    this.texture.needsUpdate = true
  }

  setInk(paper: string, ink: string, plum: string) {
    this.uniforms.paper.value.set(paper)
    this.uniforms.ink.value.set(ink)
    this.uniforms.plum.value.set(plum)
  }

  /** Makes the next draw use a style on a picture so many pixels large. */
  use(style: Style, width: number, height: number, clip: THREE.Plane[]) {
    const outlined =
      style === 'wireframe' || style === 'hidden_dashed' || style === 'hidden_removed'
    this.lines.edges.uniforms.strength!.value = style === 'shaded_edges' ? 0.72 : 0.9
    this.lines.contours.uniforms.strength!.value = 0.9
    this.lines.behind.uniforms.strength!.value =
      this.lines.contoursBehind.uniforms.strength!.value = 0.36
    this.halfSize.value.set(width / 2, height / 2)
    for (const material of this.materials()) material.clippingPlanes = clip
    for (const batch of this.batches) {
      if (outlined && !batch.contours) batch.addContours()
      batch.faces.visible = style !== 'wireframe'
      batch.faces.material = outlined ? this.paperMaterial : this.lit
      batch.ghosts.visible = this.anyGhost
      batch.edges.visible = style !== 'shaded'
      batch.behind.visible = style === 'hidden_dashed'
      if (batch.contours) batch.contours.visible = outlined
      if (batch.contoursBehind) batch.contoursBehind.visible = style === 'hidden_dashed'
    }
  }

  private materials() {
    return [this.lit, this.paperMaterial, this.ghost, this.depth, ...Object.values(this.lines)]
  }

  dispose() {
    for (const { faces, edges, contours } of this.batches) {
      for (const drawn of [faces, edges, contours]) drawn?.geometry.dispose()
    }
    for (const material of this.materials()) material.dispose()
    this.texture.dispose()
  }

  /** Box round all bodies, m. */
  bounds(): THREE.Box3 {
    const box = new THREE.Box3()
    for (const body of this.bodies)
      box.union(body.mesh.box.clone().applyMatrix4(this.nodes[body.node]!.matrix))
    return box
  }
}

/** Writes a mesh where `matrix` places it into the arrays of a batch. */
function bake(
  mesh: DrawnMesh,
  matrix: THREE.Matrix4,
  positions: Float32Array,
  normals: Int16Array,
  lines: Float32Array,
  at: number,
  end: number,
) {
  const turn = new THREE.Matrix3().setFromMatrix4(matrix).elements
  const { positions: p, normals: n } = mesh.corners
  transform(p, matrix.elements, positions, at)
  for (let i = 0; i < n.length; i += 3) {
    const [x, y, z] = [n[i]!, n[i + 1]!, n[i + 2]!]
    const to = ((at + i) / 3) * 4
    normals[to] = (turn[0]! * x + turn[3]! * y + turn[6]! * z) * 32767
    normals[to + 1] = (turn[1]! * x + turn[4]! * y + turn[7]! * z) * 32767
    normals[to + 2] = (turn[2]! * x + turn[5]! * y + turn[8]! * z) * 32767
  }
  transform(mesh.edges, matrix.elements, lines, end)
}

function transform(from: Float32Array, m: ArrayLike<number>, to: Float32Array, at: number) {
  for (let i = 0; i < from.length; i += 3) {
    const [x, y, z] = [from[i]!, from[i + 1]!, from[i + 2]!]
    to[at + i] = m[0]! * x + m[4]! * y + m[8]! * z + m[12]!
    to[at + i + 1] = m[1]! * x + m[5]! * y + m[9]! * z + m[13]!
    to[at + i + 2] = m[2]! * x + m[6]! * y + m[10]! * z + m[14]!
  }
}

/** x, y, z (m), quaternion x, y, z, w. */
export function place(group: Place, pose: ArrayLike<number>) {
  group.matrix.copy(matrixOf(pose))
  group.matrixWorldNeedsUpdate = true
}

export function matrixOf(pose: ArrayLike<number>): THREE.Matrix4 {
  const rotation = new THREE.Quaternion(pose[3], pose[4], pose[5], pose[6]).normalize()
  return new THREE.Matrix4().compose(
    new THREE.Vector3(pose[0], pose[1], pose[2]),
    rotation,
    new THREE.Vector3(1, 1, 1),
  )
}
