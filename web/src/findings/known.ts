import type { Schemas } from '../api/client'
import type { useUnits } from '../settings/units'

type Known = Schemas['Known']
type Value = Schemas['KnownValue']
type Units = ReturnType<typeof useUnits>

/** What was picked, in words. */
export const kindNames: Record<Known['is'], string> = {
  spot: 'Spot',
  corner: 'Corner',
  edge: 'Edge',
  circle: 'Circle',
  arc: 'Arc',
  curve: 'Curve',
  plane: 'Flat face',
  hole: 'Hole',
  cylinder: 'Cylinder',
  slot: 'Slot',
  cone: 'Cone',
  sphere: 'Sphere',
  torus: 'Torus',
  curved_face: 'Curved face',
  frame: 'Frame',
  target: 'Target',
  item: 'Item',
}

const valueNames: Record<Value['what'], string> = {
  at: 'at',
  centre: 'centre',
  apex: 'apex',
  centroid: 'centroid',
  length: 'length',
  diameter: 'diameter',
  radius: 'radius',
  ring_diameter: 'ring, diameter',
  tube_radius: 'tube, radius',
  opening_angle: 'opening angle',
  goes_round: 'goes round',
  normal: 'normal',
  axis: 'axis',
  direction: 'direction',
  width: 'width',
  between_centres: 'between centres',
  area: 'area',
  volume: 'volume',
  size: 'size',
  off_at_most: 'fit, off by',
  nearest: 'nearest',
  farthest: 'at most',
  between_middles: 'centre to centre',
  between_carriers: 'between axes or planes',
  angle: 'angle',
  reach_used: 'reach used, at most',
  to_limit: 'to the nearest limit',
  to_singularity: 'from a singularity',
  along_chain: 'chain',
}

/** A value as a person reads it: its name, the number as set, the number as it is. */
export interface Told {
  name: string
  text: string
  raw: string
}

const three = (v: readonly number[], one: (x: number) => string) => v.map(one).join(' ')

export function told(value: Value, units: Units): Told {
  const name = valueNames[value.what]
  if ('length_mm' in value) {
    // How far corners lie off is told finer than what people measure.
    const more = value.what === 'off_at_most' ? 3 : 1
    return { name, text: units.length(value.length_mm, more), raw: `${value.length_mm} mm` }
  }
  if ('angle_deg' in value)
    return { name, text: units.angle(value.angle_deg, 1), raw: `${value.angle_deg}°` }
  if ('area_mm2' in value)
    return { name, text: units.area(value.area_mm2), raw: `${value.area_mm2} mm²` }
  if ('volume_mm3' in value)
    return { name, text: units.volume(value.volume_mm3), raw: `${value.volume_mm3} mm³` }
  if ('direction' in value)
    return {
      name,
      text: three(value.direction, (x) => plain(x.toFixed(3))),
      raw: value.direction.join(' '),
    }
  if ('percent' in value)
    return { name, text: `${value.percent.toFixed(1)} %`, raw: `${value.percent} %` }
  if ('plain' in value) return { name, text: value.plain.toFixed(3), raw: `${value.plain}` }
  const numbers = 'point_mm' in value ? value.point_mm : value.size_mm
  return { name, text: three(numbers, (x) => units.number(x, 1)), raw: `${numbers.join(' ')} mm` }
}

const plain = (text: string) => (Number(text) === 0 ? text.replace('-', '') : text)

/** What the things that are measured are told apart by: A, B, C … */
export const letter = (index: number) =>
  index < 26 ? String.fromCharCode(65 + index) : `${index + 1}`

/** What it is in a few words: `Hole Ø 24.98 mm`. */
export function headline(known: Known, units: Units): string {
  const kind = kindNames[known.is]
  const value = (what: Value['what']) => known.values.find((v) => v.what === what)
  const length = (v: Value | undefined) =>
    v && 'length_mm' in v ? units.length(v.length_mm, 1) : ''
  const diameter = length(value('diameter'))
  if (diameter) return `${kind} Ø ${diameter}`
  const width = length(value('width'))
  if (width) return `${kind} ${width} wide`
  const angle = value('opening_angle')
  if (angle && 'angle_deg' in angle) return `${kind} ${units.angle(angle.angle_deg, 1)}`
  const ring = length(value('tube_radius'))
  if (ring) return `${kind} R ${ring}`
  if (known.is === 'edge' || known.is === 'curve') return `${kind} ${length(value('length'))}`
  return kind
}
