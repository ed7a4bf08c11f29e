import { Vector3 } from 'three'

/**
 * Edges between two faces that join smoothly: they are drawn only where the outline runs along
 * them.
 */
export interface SoftEdges {
  /** Both ends of each edge, x y z. */
  from: Float32Array
  to: Float32Array
  /**
   * Unit normals of the two faces, facing the same side of the surface, times 32767, padded to
   * four.
   */
  left: Int16Array
  right: Int16Array
}

/** Faces flatter than this to each other have no edge at all (cosine, 0.08°). */
const FLAT = 1 - 1e-6

/**
 * The edges of a mesh flatter than `crease` (rad); sharper ones are always drawn, and are no
 * concern here.
 */
export function softEdges(
  positions: Float32Array,
  triangles: Uint32Array,
  crease: number,
): SoftEdges {
  const normals = faceNormals(positions, triangles)
  const sharp = Math.cos(crease)
  // The half-edge seen first of each edge, by its ends: open addressing, as a Map of a million keys
  // is slow.
  const room = 2 ** Math.ceil(Math.log2(Math.max(4, triangles.length * 1.5)))
  const table = new Int32Array(room).fill(-1)
  const endOf = (h: number) => triangles[h % 3 === 2 ? h - 2 : h + 1]!
  const pairs: number[] = []
  for (let h = 0; h < triangles.length; h++) {
    const [a, b] = [triangles[h]!, endOf(h)]
    let slot =
      (Math.imul(Math.min(a, b), 0x9e3779b1) ^ Math.imul(Math.max(a, b), 0x85ebca6b)) & (room - 1)
    let other = -1
    while ((other = table[slot]!) >= 0) {
      const [c, d] = [triangles[other]!, endOf(other)]
      if ((c === b && d === a) || (c === a && d === b)) break
      slot = (slot + 1) & (room - 1)
    }
    if (other < 0) table[slot] = h
    else pairs.push(other, h)
  }
  const kept: number[] = []
  for (let i = 0; i < pairs.length; i += 2) {
    const [one, two] = [pairs[i]!, pairs[i + 1]!]
    const [m, n] = [Math.floor(one / 3) * 3, Math.floor(two / 3) * 3]
    // Faces that run along their edge the same way face opposite sides.
    const sign = triangles[one] === triangles[two] ? -1 : 1
    const turn =
      sign *
      (normals[m]! * normals[n]! +
        normals[m + 1]! * normals[n + 1]! +
        normals[m + 2]! * normals[n + 2]!)
    if (turn > sharp && turn < FLAT) kept.push(one, m, n, sign)
  }
  const count = kept.length / 4
  const edges: SoftEdges = {
    from: new Float32Array(count * 3),
    to: new Float32Array(count * 3),
    left: new Int16Array(count * 4),
    right: new Int16Array(count * 4),
  }
  for (let e = 0; e < count; e++) {
    const [half, m, n, sign] = [kept[e * 4]!, kept[e * 4 + 1]!, kept[e * 4 + 2]!, kept[e * 4 + 3]!]
    const [a, b] = [triangles[half]! * 3, endOf(half) * 3]
    for (let k = 0; k < 3; k++) {
      edges.from[e * 3 + k] = positions[a + k]!
      edges.to[e * 3 + k] = positions[b + k]!
      edges.left[e * 4 + k] = normals[m + k]! * 32767
      edges.right[e * 4 + k] = sign * normals[n + k]! * 32767
    }
  }
  return edges
}

function faceNormals(positions: Float32Array, triangles: Uint32Array): Float32Array {
  const normals = new Float32Array(triangles.length)
  const [a, b, c] = [new Vector3(), new Vector3(), new Vector3()]
  for (let t = 0; t < triangles.length; t += 3) {
    a.fromArray(positions, triangles[t]! * 3)
    b.fromArray(positions, triangles[t + 1]! * 3).sub(a)
    c.fromArray(positions, triangles[t + 2]! * 3).sub(a)
    b.cross(c).normalize().toArray(normals, t)
  }
  return normals
}

/**
 * Adds the edges along which the outline runs, as pairs of ends, to `into`: those of which one face
 * is seen and the other is not. `eye` is where the eye is, in the mesh's coordinates, or in a
 * parallel view the direction towards it; the ends of edge e are `first + 2 e` and the one after.
 */
export function outline(
  edges: SoftEdges,
  eye: { x: number; y: number; z: number },
  parallel: boolean,
  first: number,
  into: { push(a: number, b: number): void },
) {
  const { from, left, right } = edges
  const count = from.length / 3
  let [x, y, z] = [eye.x, eye.y, eye.z]
  for (let e = 0; e < count; e++) {
    if (!parallel) {
      x = eye.x - from[e * 3]!
      y = eye.y - from[e * 3 + 1]!
      z = eye.z - from[e * 3 + 2]!
    }
    const n = e * 4
    const seen = left[n]! * x + left[n + 1]! * y + left[n + 2]! * z
    const other = right[n]! * x + right[n + 1]! * y + right[n + 2]! * z
    if (seen * other <= 0) into.push(first + 2 * e, first + 2 * e + 1)
  }
}
