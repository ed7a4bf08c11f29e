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
export function shadedCorners(positions: Float32Array, triangles: Uint32Array, crease: number): Shaded {
  const count = triangles.length / 3
  const vertices = positions.length / 3
  // Area vectors and unit normals of the triangles.
  const areas = new Float32Array(count * 3)
  const units = new Float32Array(count * 3)
  for (let t = 0; t < count; t++) {
    const [a, b, c] = [triangles[t * 3]! * 3, triangles[t * 3 + 1]! * 3, triangles[t * 3 + 2]! * 3]
    const [ux, uy, uz] = [positions[b]! - positions[a]!, positions[b + 1]! - positions[a + 1]!, positions[b + 2]! - positions[a + 2]!]
    const [vx, vy, vz] = [positions[c]! - positions[a]!, positions[c + 1]! - positions[a + 1]!, positions[c + 2]! - positions[a + 2]!]
    const [x, y, z] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx]
    const length = Math.hypot(x, y, z) || 1
    areas.set([x, y, z], t * 3)
    units.set([x / length, y / length, z / length], t * 3)
  }
  // The corners of each vertex, one list after the other.
  const starts = new Uint32Array(vertices + 1)
  for (const v of triangles) starts[v + 1]!++
  for (let v = 0; v < vertices; v++) starts[v + 1]! += starts[v]!
  const next = starts.slice()
  const corners = new Uint32Array(triangles.length)
  triangles.forEach((v, corner) => (corners[next[v]!++] = corner))

  const smooth = Math.cos(crease)
  const [places, directions]: [number[], number[]] = [[], []]
  const indices = new Uint32Array(triangles.length)
  for (let v = 0; v < vertices; v++) {
    const first = places.length / 3
    for (let i = starts[v]!; i < starts[v + 1]!; i++) {
      const mine = Math.floor(corners[i]! / 3) * 3
      let [x, y, z] = [0, 0, 0]
      for (let j = starts[v]!; j < starts[v + 1]!; j++) {
        const other = Math.floor(corners[j]! / 3) * 3
        const turn = units[mine]! * units[other]! + units[mine + 1]! * units[other + 1]! + units[mine + 2]! * units[other + 2]!
        if (turn < smooth && other !== mine) continue
        x += areas[other]!
        y += areas[other + 1]!
        z += areas[other + 2]!
      }
      const length = Math.hypot(x, y, z) || 1
      ;[x, y, z] = [x / length, y / length, z / length]
      let at = first
      const last = places.length / 3
      while (at < last && directions[at * 3]! * x + directions[at * 3 + 1]! * y + directions[at * 3 + 2]! * z < 0.9999) at++
      if (at === last) {
        places.push(positions[v * 3]!, positions[v * 3 + 1]!, positions[v * 3 + 2]!)
        directions.push(x, y, z)
      }
      indices[corners[i]!] = at
    }
  }
  return { positions: new Float32Array(places), normals: new Float32Array(directions), indices }
}
