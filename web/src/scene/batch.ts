import * as THREE from 'three'

import { outline } from './contours'
import { IndexList } from './indexList'
import type { Level } from './levels'
import type { Materials } from './materials'
import type { DrawnMesh } from './meshes'
import type { Sight } from './sight'

/** A body of a batch: what it is, and where its corners begin in the batch's arrays. */
export interface Member {
  mesh: DrawnMesh
  /** Which row of the states it reads. */
  item: number
  /** Where it stands in the batch, as it was drawn last. */
  matrix: THREE.Matrix4
  place: () => THREE.Matrix4
  corner: number
  end: number
  soft: number
}

/** How a member is drawn. */
export type Showing = 'shown' | 'ghost' | 'hidden'

/** A member that is drawn. */
interface Seen {
  member: Member
  level: Level | null
  /** From the eye, m. */
  distance: number
  /** How many edges it has at this level. */
  lines: number
  /** Half its width on the picture, pixels. */
  size: number
}

/** All of a mesh. */
const WHOLE: Level | null = null
const ALL = { distance: 0, lines: 0, size: Infinity }

/**
 * Bodies that share a coordinate system, drawn together. Either all of it, from buffers that never
 * change, or a list of what is to be seen from somewhere, each body as fine as need be.
 */
export class Batch {
  readonly faces: THREE.Mesh
  readonly ghosts: THREE.Mesh
  readonly edges: THREE.LineSegments
  readonly behind: THREE.LineSegments
  /** Round what is selected. */
  private selected: THREE.Mesh
  private halo: THREE.Mesh
  private surrounded: IndexList
  private contours?: THREE.LineSegments
  private contoursBehind?: THREE.LineSegments
  private solid = new THREE.BufferGeometry()
  private wire = new THREE.BufferGeometry()
  private positions: Float32Array
  private normals: Int16Array
  private lines: Float32Array
  /** What is listed of each, once something is. */
  private lists?: { faces: IndexList; ghosts: IndexList; edges: IndexList }
  private outlines?: IndexList
  /** What the lists hold now. */
  private listed: unknown[] = []
  seen: Seen[] = []
  private haloed: unknown[] = []

  constructor(
    private parent: THREE.Object3D,
    private members: Member[],
    private materials: Materials,
  ) {
    const corners = members.reduce((n, m) => n + m.mesh.corners.positions.length / 3, 0)
    const ends = members.reduce((n, m) => n + m.mesh.edges.length / 3, 0)
    const indices = new Uint32Array(members.reduce((n, m) => n + m.mesh.corners.indices.length, 0))
    this.positions = new Float32Array(corners * 3)
    this.normals = new Int16Array(corners * 4)
    this.lines = new Float32Array(ends * 3)
    const [items, lineItems] = [new Uint16Array(corners), new Uint16Array(ends)]
    let [at, end, index] = [0, 0, 0]
    for (const member of members) {
      const { corners: own, edges } = member.mesh
      member.corner = at
      member.end = end
      for (const corner of own.indices) indices[index++] = corner + at
      this.bake(member)
      at += own.positions.length / 3
      end += edges.length / 3
      items.fill(member.item, member.corner, at)
      lineItems.fill(member.item, member.end, end)
    }
    const padded = new THREE.InterleavedBuffer(this.normals, 4)
    this.solid.setAttribute('position', new THREE.BufferAttribute(this.positions, 3))
    this.solid.setAttribute('normal', new THREE.InterleavedBufferAttribute(padded, 3, 0, true))
    this.solid.setAttribute('item', new THREE.BufferAttribute(items, 1))
    this.solid.setIndex(new THREE.BufferAttribute(indices, 1))
    this.wire.setAttribute('position', new THREE.BufferAttribute(this.lines, 3))
    this.wire.setAttribute('item', new THREE.BufferAttribute(lineItems, 1))

    this.faces = new THREE.Mesh(this.solid, materials.lit)
    this.faces.castShadow = this.faces.receiveShadow = true
    this.faces.customDepthMaterial = materials.depth
    this.ghosts = new THREE.Mesh(this.solid, materials.ghost)
    this.ghosts.renderOrder = 3
    this.surrounded = new IndexList(this.solid)
    this.selected = new THREE.Mesh(this.surrounded.geometry, materials.selected)
    this.halo = new THREE.Mesh(this.surrounded.geometry, materials.halo)
    this.selected.renderOrder = 1
    this.halo.renderOrder = 2
    this.edges = this.segments(this.wire, materials.edges, 2)
    this.behind = this.segments(this.wire, materials.behind, 1)
    for (const drawn of [this.faces, this.ghosts, this.selected, this.halo]) {
      drawn.frustumCulled = false
      parent.add(drawn)
    }
  }

  private segments(geometry: THREE.BufferGeometry, material: THREE.Material, order: number) {
    const drawn = new THREE.LineSegments(geometry, material)
    drawn.renderOrder = order
    drawn.frustumCulled = false
    this.parent.add(drawn)
    return drawn
  }

  /** Draws all there is, exactly, from now on. */
  drawAll() {
    if (this.faces.geometry === this.solid && this.seen.length) return
    this.seen = this.members.map((member) => ({ member, level: WHOLE, ...ALL }))
    this.faces.geometry = this.ghosts.geometry = this.solid
    this.edges.geometry = this.behind.geometry = this.wire
  }

  /**
   * Chooses what can be seen, with what is drawn so many pixels from what is there at most; exactly
   * if 0. What stands nearer is drawn first. It is drawn once it is listed.
   */
  choose(sight: Sight, pixels: number, showing: (item: number) => Showing) {
    this.lists ??= {
      faces: new IndexList(this.solid),
      ghosts: new IndexList(this.solid),
      edges: new IndexList(this.wire),
    }
    const { faces, ghosts, edges } = this.lists
    this.faces.geometry = faces.geometry
    this.ghosts.geometry = ghosts.geometry
    this.edges.geometry = this.behind.geometry = edges.geometry

    this.seen = this.members.flatMap((member) => {
      if (showing(member.item) === 'hidden') return []
      const matrix = this.worldOf(member)
      const ball = sight.ballOf(member.mesh, matrix)
      if (!ball) return []
      const { radius } = ball
      const distance = sight.distanceTo(member.mesh, matrix)
      const pixel = sight.pixelAt(distance)
      if (radius * 2 < pixel * pixels) return []
      const level = levelOf(member.mesh, pixel * pixels)
      const lines = level ? level.edges.length / 2 : member.mesh.edges.length / 6
      return [{ member, level, distance, lines, size: radius / pixel }]
    })
    this.seen.sort((a, b) => a.distance - b.distance)
  }

  /** Lists what was chosen; what is smaller than so many pixels goes without lines. */
  list(smallest: number, showing: (item: number) => Showing) {
    const { faces, ghosts, edges } = this.lists!
    const bare = (s: Seen) => s.size < smallest
    const key = this.seen.flatMap((s) => [s.level, showing(s.member.item), s.member, bare(s)])
    if (sameAs(this.listed, key)) return
    this.listed = key
    for (const list of [faces, ghosts, edges]) list.clear()
    for (const s of this.seen) {
      const { member, level } = s
      const list = showing(member.item) === 'ghost' ? ghosts : faces
      list.add(level?.faces ?? member.mesh.corners.indices, member.corner)
      if (bare(s)) continue
      if (level) edges.add(level.edges, member.end)
      else edges.addAll(member.end, member.mesh.edges.length / 3)
    }
    for (const list of [faces, ghosts, edges]) list.done()
  }

  /** Draws a line round what is chosen of what is drawn. */
  surround(chosen: (item: number) => boolean) {
    const some = this.seen.filter(({ member }) => chosen(member.item))
    this.selected.visible = this.halo.visible = some.length > 0
    const key = some.flatMap(({ member, level }) => [level, member])
    if (!some.length || sameAs(this.haloed, key)) return
    this.haloed = key
    this.surrounded.clear()
    for (const { member, level } of some)
      this.surrounded.add(level?.faces ?? member.mesh.corners.indices, member.corner)
    this.surrounded.done()
  }

  /** The outlines of what is round, as they run from where one looks. */
  drawOutlines(sight: Sight) {
    if (!this.contours) this.addContours()
    const list = this.outlines!
    list.clear()
    for (const { member } of this.seen) {
      const eye = sight.from(this.worldOf(member))
      outline(member.mesh.soft(), eye, sight.parallel, member.soft, list)
    }
    list.done()
  }

  private addContours() {
    const count = this.members.reduce((n, m) => n + m.mesh.soft().from.length / 3, 0)
    const geometry = new THREE.BufferGeometry()
    const [ends, items] = [new Float32Array(count * 6), new Uint16Array(count * 2)]
    let at = 0
    const [from, to] = [new THREE.Vector3(), new THREE.Vector3()]
    for (const member of this.members) {
      const soft = member.mesh.soft()
      member.soft = at
      for (let e = 0; e < soft.from.length; e += 3) {
        from
          .fromArray(soft.from, e)
          .applyMatrix4(member.matrix)
          .toArray(ends, at * 3)
        to.fromArray(soft.to, e)
          .applyMatrix4(member.matrix)
          .toArray(ends, at * 3 + 3)
        at += 2
      }
      items.fill(member.item, member.soft, at)
    }
    geometry.setAttribute('position', new THREE.BufferAttribute(ends, 3))
    geometry.setAttribute('item', new THREE.BufferAttribute(items, 1))
    this.outlines = new IndexList(geometry)
    this.contours = this.segments(this.outlines.geometry, this.materials.contours, 2)
    this.contoursBehind = this.segments(this.outlines.geometry, this.materials.contoursBehind, 1)
  }

  private worldOf(member: Member): THREE.Matrix4 {
    return world.multiplyMatrices(this.parent.matrix, member.matrix)
  }

  /** What of it is drawn in a style. */
  use(how: {
    faces: THREE.Material | null
    ghosts: boolean
    edges: boolean
    outlined: boolean
    behind: boolean
  }) {
    this.faces.visible = how.faces !== null
    if (how.faces) this.faces.material = how.faces
    this.ghosts.visible = how.ghosts
    this.edges.visible = how.edges
    this.behind.visible = how.behind
    if (this.contours) this.contours.visible = how.outlined
    if (this.contoursBehind) this.contoursBehind.visible = how.behind
  }

  /** Draws members anew that stand elsewhere now. */
  rebake() {
    const moved = this.members.filter((m) => !m.matrix.equals(m.place()))
    if (!moved.length) return
    for (const member of moved) {
      member.matrix.copy(member.place())
      this.bake(member)
    }
    for (const attribute of ['position', 'normal']) {
      const of = this.solid.getAttribute(attribute)
      if (of instanceof THREE.InterleavedBufferAttribute) of.data.needsUpdate = true
      else of.needsUpdate = true
    }
    this.wire.getAttribute('position').needsUpdate = true
    // The outlines are made anew when a style asks for them again.
    for (const drawn of [this.contours, this.contoursBehind]) drawn?.removeFromParent()
    this.outlines?.dispose()
    this.outlines = this.contours = this.contoursBehind = undefined
  }

  /** Writes a member where it stands into the arrays. */
  private bake({ mesh, matrix, corner, end }: Member) {
    const turn = new THREE.Matrix3().setFromMatrix4(matrix).elements
    const { positions, normals: n } = mesh.corners
    transform(positions, matrix.elements, this.positions, corner * 3)
    for (let i = 0; i < n.length; i += 3) {
      const [x, y, z] = [n[i]!, n[i + 1]!, n[i + 2]!]
      const to = (corner + i / 3) * 4
      this.normals[to] = (turn[0]! * x + turn[3]! * y + turn[6]! * z) * 32767
      this.normals[to + 1] = (turn[1]! * x + turn[4]! * y + turn[7]! * z) * 32767
      this.normals[to + 2] = (turn[2]! * x + turn[5]! * y + turn[8]! * z) * 32767
    }
    transform(mesh.edges, matrix.elements, this.lines, end * 3)
  }

  dispose() {
    this.solid.dispose()
    this.wire.dispose()
    for (const list of Object.values(this.lists ?? {})) list.dispose()
    this.outlines?.dispose()
    this.surrounded.dispose()
  }
}
const world = new THREE.Matrix4()

/** The coarsest that is not farther off. */
function levelOf(mesh: DrawnMesh, allowed: number): Level | null {
  return mesh.levels?.findLast((level) => level.error <= allowed) ?? WHOLE
}

const sameAs = (a: unknown[], b: unknown[]) =>
  a.length === b.length && a.every((x, i) => x === b[i])

function transform(from: Float32Array, m: ArrayLike<number>, to: Float32Array, at: number) {
  for (let i = 0; i < from.length; i += 3) {
    const [x, y, z] = [from[i]!, from[i + 1]!, from[i + 2]!]
    to[at + i] = m[0]! * x + m[4]! * y + m[8]! * z + m[12]!
    to[at + i + 1] = m[1]! * x + m[5]! * y + m[9]! * z + m[13]!
    to[at + i + 2] = m[2]! * x + m[6]! * y + m[10]! * z + m[14]!
  }
}
