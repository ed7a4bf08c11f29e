import { computed } from 'vue'

import { useSettings } from './settingsStore'
import { angles, lengths, parseAngle, parseLength, plain } from './unitKinds'

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
  /** Never more than it is: for what is certain to be at least so long. */
  const floor = (mm: number, more = 0) => {
    const step = unit.value.mm / 10 ** digits(more)
    return length(Math.floor(mm / step + 1e-9) * step, more)
  }
  /** As short as it is exact: for what people set themselves, `10 mm`. */
  const shortNumber = (mm: number) => `${Number((mm / unit.value.mm).toFixed(digits(3)))}`
  const short = (mm: number) => `${shortNumber(mm)} ${unit.value.sign}`
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
    floor,
    short,
    shortNumber,
    angleNumber,
    angle,
    area,
    volume,
    lengthTyped: (text: string, now_mm: number) => parseLength(text, now_mm, settings.units.length),
    angleTyped: (text: string, now_deg: number) => parseAngle(text, now_deg, settings.units.angle),
  }
}
