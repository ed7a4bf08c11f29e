/** The units that lengths and angles are read and typed in, whoever prefers which. */

export type LengthUnit = 'mm' | 'cm' | 'm' | 'inch'
export type AngleUnit = 'deg' | 'rad'

/** One of each unit in mm, how it is written, and how many more decimals than in mm say as much. */
export const lengths: Record<LengthUnit, { mm: number; sign: string; decimals: number }> = {
  mm: { mm: 1, sign: 'mm', decimals: 0 },
  cm: { mm: 10, sign: 'cm', decimals: 1 },
  m: { mm: 1000, sign: 'm', decimals: 3 },
  inch: { mm: 25.4, sign: 'in', decimals: 2 },
}
export const angles: Record<AngleUnit, { deg: number; sign: string; decimals: number }> = {
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
 * The number in a typed text, in `of` where it names no unit of its own. `+` in front adds to
 * `now`, `+-` takes away. Null for what is no number.
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
