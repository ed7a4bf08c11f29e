/** Corners that agree in place and normal, and the triangles that join them. */
export interface Shaded {
  positions: Float32Array
  normals: Float32Array
  indices: Uint32Array
}

/**
 * Normals for shading: smooth over joins flatter than `crease` (rad), apart over sharper ones. A
 * vertex is split only where its corners need different normals.
 */
export function shadedCorners(
  positions: Float32Array,
  triangles: Uint32Array,
  crease: number,
): Shaded {
  const count = triangles.length / 3
  const vertices = positions.length / 3
  // Area vectors and unit normals of the triangles.
  const areas = new Float32Array(count * 3)
  const units = new Float32Array(count * 3)
  for (let t = 0; t < count; t++) {
    const [a, b, c] = [triangles[t * 3]! * 3, triangles[t * 3 + 1]! * 3, triangles[t * 3 + 2]! * 3]
    const [ux, uy, uz] = [
      positions[b]! - positions[a]!,
      positions[b + 1]! - positions[a + 1]!,
      positions[b + 2]! - positions[a + 2]!,
    ]
    const [vx, vy, vz] = [
      positions[c]! - positions[a]!,
      positions[c + 1]! - positions[a + 1]!,
      positions[c + 2]! - positions[a + 2]!,
    ]
    const [x, y, z] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx]
    const length = Math.sqrt(x * x + y * y + z * z) || 1
    const at = t * 3
    areas[at] = x
    areas[at + 1] = y
    areas[at + 2] = z
    units[at] = x / length
    units[at + 1] = y / length
    units[at + 2] = z / length
  }
  // The corners of each vertex, one list after the other.
  const starts = new Uint32Array(vertices + 1)
  for (const v of triangles) starts[v + 1]!++
  for (let v = 0; v < vertices; v++) starts[v + 1]! += starts[v]!
  const next = starts.slice()
  const corners = new Uint32Array(triangles.length)
  triangles.forEach((v, corner) => (corners[next[v]!++] = corner))

  const smooth = Math.cos(crease)
  // Triangles this near to one of them are smooth to each other too.
  const near = Math.cos(crease / 2)
  let found = 0
  let places = new Float32Array(vertices * 3 + 3)
  let directions = new Float32Array(vertices * 3 + 3)
  function add(v: number, x: number, y: number, z: number): number {
    if (found * 3 === places.length) [places, directions] = [doubled(places), doubled(directions)]
    const at = found * 3
    places[at] = positions[v * 3]!
    places[at + 1] = positions[v * 3 + 1]!
    places[at + 2] = positions[v * 3 + 2]!
    directions[at] = x
    directions[at + 1] = y
    directions[at + 2] = z
    return found++
  }
  const indices = new Uint32Array(triangles.length)
  for (let v = 0; v < vertices; v++) {
    const first = found
    const [begin, end] = [starts[v]!, starts[v + 1]!]
    for (let i = begin; i < end; i++) {
      const mine = Math.floor(corners[i]! / 3) * 3
      let [x, y, z] = [0, 0, 0]
      let alike = i === begin
      for (let j = begin; j < end; j++) {
        const other = Math.floor(corners[j]! / 3) * 3
        const turn =
          units[mine]! * units[other]! +
          units[mine + 1]! * units[other + 1]! +
          units[mine + 2]! * units[other + 2]!
        alike &&= turn > near
        if (turn < smooth && other !== mine) continue
        x += areas[other]!
        y += areas[other + 1]!
        z += areas[other + 2]!
      }
      const length = Math.sqrt(x * x + y * y + z * z) || 1
      ;[x, y, z] = [x / length, y / length, z / length]
      let at = first
      while (
        at < found &&
        directions[at * 3]! * x + directions[at * 3 + 1]! * y + directions[at * 3 + 2]! * z < 0.9999
      )
        at++
      if (at === found) add(v, x, y, z)
      if (alike) {
        // The same for all of them.
        for (let j = begin; j < end; j++) indices[corners[j]!] = at
        break
      }
      indices[corners[i]!] = at
    }
  }
  return { positions: places.slice(0, found * 3), normals: directions.slice(0, found * 3), indices }
}

function doubled(array: Float32Array<ArrayBuffer>): Float32Array<ArrayBuffer> {
  const larger = new Float32Array(array.length * 2)
  larger.set(array)
  return larger
}
