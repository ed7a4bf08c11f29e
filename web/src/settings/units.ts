import { computed } from 'vue'

import { useSettings } from './settingsStore'

export type LengthUnit = 'mm' | 'cm' | 'm' | 'inch'
export type AngleUnit = 'deg' | 'rad'

/** One of each unit in mm, how it is written, and how many more decimals than in mm say as much. */
const lengths: Record<LengthUnit, { mm: number; sign: string; decimals: number }> = {
  mm: { mm: 1, sign: 'mm', decimals: 0 },
  cm: { mm: 10, sign: 'cm', decimals: 1 },
  m: { mm: 1000, sign: 'm', decimals: 3 },
  inch: { mm: 25.4, sign: 'in', decimals: 2 },
}
const angles: Record<AngleUnit, { deg: number; sign: string; decimals: number }> = {
  deg: { deg: 1, sign: '°', decimals: 1 },
  rad: { deg: 180 / Math.PI, sign: ' rad', decimals: 3 },
}
const lengthWords: Record<string, LengthUnit> = {
  mm: 'mm',
  cm: 'cm',
  m: 'm',
  in: 'inch',
  inch: 'inch',
  '"': 'inch',
}
const angleWords: Record<string, AngleUnit> = { '°': 'deg', deg: 'deg', rad: 'rad' }

/**
 * The number in a typed text, in `of` where it names no unit of its own. `+` in front adds to `now`, `+-` takes
 * away. Null for what is no number.
 */
function typed(
  text: string,
  now: number,
  words: Record<string, number>,
  of: number,
): number | null {
  const match = /^\s*(\+)?\s*([-−]?\s*\d*[.,]?\d+(?:e[-+]?\d+)?)\s*([a-z°"]*)\s*$/i.exec(text)
  if (!match) return null
  const unit = match[3] ? words[match[3].toLowerCase()] : of
  if (unit === undefined) return null
  const value = Number(match[2]!.replace(/\s/g, '').replace('−', '-').replace(',', '.')) * unit
  return match[1] ? now + value : value
}
const factors = <T extends string>(words: Record<string, T>, factor: (unit: T) => number) =>
  Object.fromEntries(Object.entries(words).map(([word, unit]) => [word, factor(unit)]))

export const parseLength = (text: string, now_mm: number, unit: LengthUnit) =>
  typed(
    text,
    now_mm,
    factors(lengthWords, (u) => lengths[u].mm),
    lengths[unit].mm,
  )
export const parseAngle = (text: string, now_deg: number, unit: AngleUnit) =>
  typed(
    text,
    now_deg,
    factors(angleWords, (u) => angles[u].deg),
    angles[unit].deg,
  )

/** Without a minus before nothing. */
export const plain = (text: string) => (/^-0(\.0*)?$/.test(text) ? text.slice(1) : text)

/**
 * Lengths and angles as the person wants to read them. Everything on screen that has a unit goes
 * through here.
 */
export function useUnits() {
  const settings = useSettings()
  const unit = computed(() => lengths[settings.units.length])
  const angleUnit = computed(() => angles[settings.units.angle])
  const digits = (more: number) =>
    Math.max(0, Math.min(9, settings.units.decimals + unit.value.decimals + more))
  /** A length without its unit; `more` decimals than the person asked for. */
  const number = (mm: number, more = 0) => plain((mm / unit.value.mm).toFixed(digits(more)))
  const length = (mm: number, more = 0) => `${number(mm, more)} ${unit.value.sign}`
  /** As short as it is exact: for what people set themselves, `10 mm`. */
  const short = (mm: number) =>
    `${Number((mm / unit.value.mm).toFixed(digits(3)))} ${unit.value.sign}`
  const angleNumber = (deg: number, more = 0) =>
    plain((deg / angleUnit.value.deg).toFixed(angleUnit.value.decimals + more))
  const angle = (deg: number, more = 0) => `${angleNumber(deg, more)}${angleUnit.value.sign}`
  const area = (mm2: number) => {
    const { mm, sign, decimals } = unit.value
    // Square millimetres are too small to read.
    return settings.units.length === 'mm'
      ? `${(mm2 / 100).toFixed(1)} cm²`
      : `${(mm2 / mm / mm).toFixed(Math.min(6, 1 + 2 * Math.max(0, decimals - 1)))} ${sign}²`
  }
  const volume = (mm3: number) => {
    const { mm, sign } = unit.value
    return settings.units.length === 'mm'
      ? `${(mm3 / 1000).toFixed(1)} cm³`
      : `${Number((mm3 / mm ** 3).toPrecision(4))} ${sign}³`
  }
  const sign = computed(() => unit.value.sign)
  const angleSign = computed(() => angleUnit.value.sign.trim())
  return {
    sign,
    angleSign,
    number,
    length,
    short,
    angleNumber,
    angle,
    area,
    volume,
    lengthTyped: (text: string, now_mm: number) => parseLength(text, now_mm, settings.units.length),
    angleTyped: (text: string, now_deg: number) => parseAngle(text, now_deg, settings.units.angle),
  }
}
