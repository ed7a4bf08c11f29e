/** Lines some pixels wide that lie over everything: frames, gaps, cameras, tours. */
import * as THREE from 'three'
import { LineMaterial } from 'three/addons/lines/LineMaterial.js'
import { LineSegments2 } from 'three/addons/lines/LineSegments2.js'
import { LineSegmentsGeometry } from 'three/addons/lines/LineSegmentsGeometry.js'

import type { Palette } from './look'

export class WideLines {
  readonly object: LineSegments2
  private material: LineMaterial

  constructor(width: number, order: number) {
    this.material = new LineMaterial({
      linewidth: width,
      vertexColors: true,
      depthTest: false,
      transparent: true,
    })
    this.object = new LineSegments2(new LineSegmentsGeometry(), this.material)
    this.object.frustumCulled = false
    this.object.renderOrder = order
    this.object.visible = false
  }

  /** Pairs of ends in m, one colour a pair. */
  set(ends: number[], colours: THREE.Color[]) {
    this.object.visible = ends.length > 0
    if (!ends.length) return
    const geometry = new LineSegmentsGeometry()
    geometry.setPositions(ends)
    geometry.setColors(colours.flatMap((c) => [c.r, c.g, c.b, c.r, c.g, c.b]))
    this.object.geometry.dispose()
    this.object.geometry = geometry
  }

  /** A way through points. */
  setWay(points: THREE.Vector3[], colour: string) {
    const ends = points.slice(1).flatMap((p, i) => [...points[i]!.toArray(), ...p.toArray()])
    this.set(
      ends,
      points.slice(1).map(() => new THREE.Color(colour)),
    )
  }
}

/** The three axes of a frame as arrows `size` m long: in the theme's colours. */
export function axesOf(
  matrix: THREE.Matrix4,
  size: number,
  [x, y, z]: Palette['axes'],
  ends: number[],
  colours: THREE.Color[],
) {
  const origin = new THREE.Vector3().setFromMatrixPosition(matrix)
  const inks = [x, y, z].map((colour) => new THREE.Color(colour))
  const axes = [0, 1, 2].map((i) => new THREE.Vector3().setFromMatrixColumn(matrix, i))
  axes.forEach((axis, i) => {
    const tip = origin.clone().addScaledVector(axis, size)
    const side = axes[(i + 1) % 3]!
    const back = origin.clone().addScaledVector(axis, size * 0.8)
    const segment = (a: THREE.Vector3, b: THREE.Vector3) => {
      ends.push(...a.toArray(), ...b.toArray())
      colours.push(inks[i]!)
    }
    segment(origin, tip)
    segment(tip, back.clone().addScaledVector(side, size * 0.08))
    segment(tip, back.clone().addScaledVector(side, -size * 0.08))
  })
}
