/** Meshes as they are drawn, for tests of the picture: no server, no canvas. */
import { BoxGeometry, type BufferGeometry, CylinderGeometry, EdgesGeometry } from 'three'

import { softEdges } from '../scene/contours'
import { shadedCorners } from '../scene/creases'
import { CREASE, geometryOf, treeOver } from '../scene/decode'
import type { DrawnMesh } from '../scene/meshes'

/** The same corners at the same places joined. */
function welded(of: BufferGeometry) {
  const places = new Map<string, number>()
  const positions: number[] = []
  const from = of.getAttribute('position')
  const faces = Uint32Array.from(of.index!.array, (i) => {
    const at = [from.getX(i), from.getY(i), from.getZ(i)].map((x) => Math.round(x * 1e6) / 1e6)
    const key = at.join()
    if (!places.has(key)) {
      places.set(key, positions.length / 3)
      positions.push(...at)
    }
    return places.get(key)!
  })
  return { positions: Float32Array.from(positions), faces }
}

export function drawnMesh(of: BufferGeometry): DrawnMesh {
  const { positions, faces } = welded(of)
  const geometry = geometryOf(positions, faces)
  geometry.computeBoundingBox()
  geometry.computeBoundingSphere()
  const edges = new EdgesGeometry(geometry, 25).getAttribute('position').array
  return {
    geometry,
    tree: treeOver(geometry),
    ball: geometry.boundingSphere!,
    box: geometry.boundingBox!,
    corners: shadedCorners(positions, faces, CREASE),
    edges: Float32Array.from(edges),
    soft: () => softEdges(positions, faces, CREASE),
  }
}

/** A box with these edges, m. */
export const boxMesh = (x: number, y: number, z: number) => drawnMesh(new BoxGeometry(x, y, z))

/** An upright pin, m. */
export const pinMesh = (radius: number, height: number) =>
  drawnMesh(new CylinderGeometry(radius, radius, height, 24).rotateX(Math.PI / 2))
