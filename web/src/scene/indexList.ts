import * as THREE from 'three'

const LEAST = 3072

/** Some of the triangles or lines of a geometry, chosen anew as often as needed. */
export class IndexList {
  /** Shares its corners with the geometry it was made of. */
  readonly geometry = new THREE.BufferGeometry()
  private indices = new Uint32Array(LEAST)
  private length = 0

  constructor(of: THREE.BufferGeometry) {
    for (const [name, attribute] of Object.entries(of.attributes))
      this.geometry.setAttribute(name, attribute)
  }

  clear() {
    this.length = 0
  }

  get empty() {
    return this.length === 0
  }

  /** Adds indices, each so many farther on. */
  add(indices: ArrayLike<number>, first: number) {
    this.makeRoomFor(indices.length)
    for (let i = 0; i < indices.length; i++) this.indices[this.length++] = indices[i]! + first
  }

  /** Adds a line. */
  push(a: number, b: number) {
    this.makeRoomFor(2)
    this.indices[this.length++] = a
    this.indices[this.length++] = b
  }

  /** Adds all from `first` on, so many. */
  addAll(first: number, count: number) {
    this.makeRoomFor(count)
    for (let i = 0; i < count; i++) this.indices[this.length++] = first + i
  }

  /** Makes what was added what is drawn. */
  done() {
    const { geometry, indices } = this
    if (geometry.index?.array !== indices) {
      const attribute = new THREE.BufferAttribute(indices, 1).setUsage(THREE.DynamicDrawUsage)
      geometry.setIndex(attribute)
    }
    geometry.index!.clearUpdateRanges()
    geometry.index!.addUpdateRange(0, this.length)
    geometry.index!.needsUpdate = true
    geometry.setDrawRange(0, this.length)
  }

  dispose() {
    this.geometry.dispose()
  }

  private makeRoomFor(more: number) {
    if (this.length + more <= this.indices.length) return
    const larger = new Uint32Array(Math.max(this.length + more, this.indices.length * 2))
    larger.set(this.indices)
    this.indices = larger
  }
}
