import type { Schemas } from '../api/client'
import type { useUnits } from '../settings/units'
import { headline, letter, told } from './known'

type Units = ReturnType<typeof useUnits>

/** That two carriers are not parallel, and by how much. */
export function leaning(carriers: Schemas['CarriersApart'], units: Units): string {
  return `not parallel, ${units.angle(carriers.angle_deg ?? 0, 1)}`
}

function chainLines(chain: Schemas['ChainAnswer'], units: Units): string[] {
  const legs = chain.legs.map(
    (leg, i) => `${letter(i)} to ${letter(i + 1)}: ${units.length(leg.length_mm, 1)}`,
  )
  return [`chain: ${units.length(chain.length_mm, 1)}`, ...legs]
}

/** A measurement as lines of text, for a report or a message. */
export function asText(measured: Schemas['Measured'], units: Units, clock: string): string {
  const things = measured.known.flatMap((known, i) => [
    `${letter(i)}: ${headline(known, units)}, ${known.of}`,
    ...known.values.map((v) => told(v, units)).map(({ name, text }) => `  ${name}: ${text}`),
  ])
  const { between, chain } = measured
  if (chain) return [...things, ...chainLines(chain, units), `at ${clock}`].join('\n')
  if (!between) return [...things, `at ${clock}`].join('\n')
  const { smallest, largest, middles, carriers, overlap } = between
  const along = smallest.along_mm.map((mm) => units.number(mm, 1)).join('  ')
  const lines = [
    `nearest: ${units.length(smallest.length_mm, 1)}${overlap ? ' (touching or overlapping)' : ''}`,
    `  along X  Y  Z: ${along}`,
  ]
  if (middles) lines.push(`centre to centre: ${units.length(middles.length_mm, 1)}`)
  if (carriers) {
    const { distance, of_a, of_b, angle_deg } = carriers
    const apart = distance ? units.length(distance.length_mm, 1) : leaning(carriers, units)
    lines.push(`${of_a} to ${of_b}: ${apart}`)
    if (typeof angle_deg === 'number') lines.push(`angle: ${units.angle(angle_deg, 1)}`)
  }
  if (largest) lines.push(`at most: ${units.length(largest.length_mm, 1)}`)
  return [...things, ...lines, `at ${clock}`].join('\n')
}
