/** The same mesh with less: what is drawn of it while the picture moves without a graphics card. */
import type { MeshoptSimplifier } from 'meshoptimizer/simplifier'
import { Box3, Vector3 } from 'three'

import { geometryOf, treeOver } from './decode'

/** Indices only: the corners and ends are those of the mesh itself. */
export interface Level {
  /** No part of the mesh is farther from what is drawn, m: as measured at many points. */
  error: number
  /** Corners of triangles. */
  faces: Uint32Array
  /** Ends of feature edges, two each. */
  edges: Uint32Array
}

/** What a level is made of. */
export interface Full {
  positions: Float32Array
  indices: Uint32Array
  /** Two ends a feature edge. */
  edges: Float32Array
}

/** How far off each level may be, m: from a hand's breadth before the eye to across the hall. */
const ERRORS = [0.0005, 0.001, 0.002, 0.004, 0.008, 0.016, 0.032, 0.064, 0.128]
/** The simplifier reckons with squares, and what it allows adds up: half of it at each step. */
const STEP = 0.5
/** At so many triangles of a mesh it is measured how far off a level is. */
const MOST_MEASURED = 400
/** A part is a wire if its area is less than this times the square of its length. */
const WIRE = 0.15
/** A wire is off by no more than this share of how thick it is: it would fall flat and vanish. */
const OF_WIRE = 0.35
/** A level that saves less than this over the one before is left out. */
const WORTH = 0.85

/** Levels of a mesh, finest first. */
export function levelsOf(full: Full, simplifier: typeof MeshoptSimplifier): Level[] {
  const simplify = (faces: Uint32Array, allowed: number) =>
    simplifier.simplify(faces, full.positions, 3, 0, allowed, [
      'ErrorAbsolute',
      'Permissive',
      'Prune',
    ])[0]
  const parts = partsOf(full)
  const wires = parts.filter(isWire)
  const thinnest = Math.min(...wires.map((wire) => wire.thickness))
  const levels: Level[] = []
  let solid = joined(parts.filter((part) => !isWire(part)).map((part) => part.faces))
  let drawn = full.indices.length + full.edges.length / 3
  for (const allowed of ERRORS) {
    const long = wires.filter((wire) => wire.length > allowed).map((wire) => wire.faces)
    const thin = simplify(joined(long), Math.min(allowed, thinnest * OF_WIRE))
    solid = simplify(solid, allowed * STEP)
    const edges = fewerEdges(full.edges, allowed)
    const faces = joined([thin, solid])
    if (!faces.length) break
    if (faces.length + edges.length > drawn * WORTH) continue
    drawn = faces.length + edges.length
    const error = Math.max(allowed, deviation(full.positions, parts, faces))
    levels.push({ error, faces, edges })
  }
  return levels
}

/** How far points of the parts are from some of their faces, at most, m. */
function deviation(positions: Float32Array, parts: Part[], faces: Uint32Array): number {
  const tree = treeOver(geometryOf(positions, faces.slice()))
  const of = parts.reduce((n, part) => n + part.faces.length, 0)
  const each = 3 * Math.ceil(of / 3 / MOST_MEASURED)
  const [point, corner] = [new Vector3(), new Vector3()]
  const found = { point: new Vector3(), distance: 0, faceIndex: 0 }
  let farthest = 0
  const measure = (at: Vector3, part: Part) => {
    // It need not be told which is nearest, if it is nearer than another point already was.
    const distance = tree.closestPointToPoint(at, found, farthest)?.distance ?? Infinity
    // Of a part that is gone no more than itself is missing.
    farthest = Math.max(farthest, Math.min(distance, part.length))
  }
  for (const part of parts) {
    for (let i = 0; i < part.faces.length; i += each) {
      point.set(0, 0, 0)
      for (let k = 0; k < 3; k++) {
        point.addScaledVector(corner.fromArray(positions, part.faces[i + k]! * 3), 1 / 3)
        measure(corner, part)
      }
      measure(point, part)
    }
  }
  return farthest
}

function joined(lists: Uint32Array[]): Uint32Array {
  const all = new Uint32Array(lists.reduce((n, list) => n + list.length, 0))
  let at = 0
  for (const list of lists) {
    all.set(list, at)
    at += list.length
  }
  return all
}

/** What hangs together of a mesh. */
export interface Part {
  faces: Uint32Array
  /** The diagonal of its box, m. */
  length: number
  /** Of a round bar that has as much volume for its area, m. */
  thickness: number
  /** m² */
  area: number
}

/** Whether a part is long and thin. */
export const isWire = ({ area, length }: Part) => area < WIRE * length ** 2

/** The parts of a mesh that hang together. */
export function partsOf({ positions, indices }: Full): Part[] {
  const parts = new Map<number, number[]>()
  const root = rootsOf(positions, indices)
  for (let i = 0; i < indices.length; i += 3) {
    const of = root(indices[i]!)
    const part = parts.get(of) ?? []
    parts.set(of, part)
    part.push(indices[i]!, indices[i + 1]!, indices[i + 2]!)
  }
  return [...parts.values()].map((part) => partOf(positions, Uint32Array.from(part)))
}

/** For each corner one that stands for its part: corners at the same place are one. */
function rootsOf(positions: Float32Array, indices: Uint32Array): (corner: number) => number {
  const parent = new Uint32Array(positions.length / 3)
  const places = new Map<string, number>()
  for (let c = 0; c < parent.length; c++) {
    const place = `${positions[c * 3]} ${positions[c * 3 + 1]} ${positions[c * 3 + 2]}`
    const first = places.get(place)
    parent[c] = first ?? c
    if (first === undefined) places.set(place, c)
  }
  const root = (c: number): number => {
    while (parent[c] !== c) c = parent[c] = parent[parent[c]!]!
    return c
  }
  for (let i = 0; i < indices.length; i += 3) {
    const a = root(indices[i]!)
    parent[root(indices[i + 1]!)] = a
    parent[root(indices[i + 2]!)] = a
  }
  return root
}

function partOf(positions: Float32Array, faces: Uint32Array): Part {
  const [a, b, c, across] = [new Vector3(), new Vector3(), new Vector3(), new Vector3()]
  const box = new Box3()
  let [area, volume] = [0, 0]
  for (let i = 0; i < faces.length; i += 3) {
    a.fromArray(positions, faces[i]! * 3)
    b.fromArray(positions, faces[i + 1]! * 3)
    c.fromArray(positions, faces[i + 2]! * 3)
    box.expandByPoint(a).expandByPoint(b).expandByPoint(c)
    volume += a.dot(across.crossVectors(b, c)) / 6
    area += across.crossVectors(b.sub(a), c.sub(a)).length() / 2
  }
  return { faces, area, length: box.getSize(a).length(), thickness: (4 * Math.abs(volume)) / area }
}

/**
 * Edges between the corners of a grid so wide (m): ends that fall together are one, edges that fall
 * together are drawn once, and those shorter than the grid not at all.
 */
export function fewerEdges(ends: Float32Array, grid: number): Uint32Array {
  const cells = new Map<string, number>()
  const standsFor = (end: number) => {
    const [x, y, z] = [ends[end * 3]!, ends[end * 3 + 1]!, ends[end * 3 + 2]!]
    const cell = `${Math.round(x / grid)} ${Math.round(y / grid)} ${Math.round(z / grid)}`
    const first = cells.get(cell)
    if (first !== undefined) return first
    cells.set(cell, end)
    return end
  }
  const drawn = new Set<number>()
  const kept: number[] = []
  const count = ends.length / 3
  for (let end = 0; end < count; end += 2) {
    const [a, b] = [standsFor(end), standsFor(end + 1)]
    const pair = Math.min(a, b) * count + Math.max(a, b)
    if (a === b || drawn.has(pair)) continue
    drawn.add(pair)
    kept.push(a, b)
  }
  return Uint32Array.from(kept)
}
