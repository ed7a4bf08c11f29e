import type { useUnits } from '../settings/units'
import type { Series } from './seriesStore'

type Units = ReturnType<typeof useUnits>

const names: Record<Series['what'], string> = {
  nearest: 'Smallest distance',
  to_nearest: 'To whatever is nearest',
  farthest: 'Largest distance',
  between_middles: 'Centre to centre',
  travelled: 'Travelled',
  speed: 'Speed',
  straight: 'From the base, straight',
  horizontal: 'From the base, along the floor',
  vertical: 'From the base, upwards',
  reach_used: 'Reach used',
  to_limit: 'To the limit',
  to_singularity: 'From a singularity',
}

/** What a series is called; of a joint with its name. */
export function seriesName({ what, joint }: Series): string {
  return joint ? `${names[what]} of ${joint.split('/')[1]}` : names[what]
}

/** A value of a series as people have set their units. */
export function seriesValue(series: Pick<Series, 'unit'>, value: number, units: Units): string {
  switch (series.unit) {
    case 'mm':
      return units.length(value, 1)
    case 'mm_per_s':
      return `${units.length(value)}/s`
    case 'deg':
      return units.angle(value, 1)
    case 'percent':
      return `${value.toFixed(1)} %`
    case 'plain':
      return value.toFixed(3)
  }
}

/** What is certain about an extreme: how far the path never goes, or only instants are known. */
export function certainty(series: Series, end: 'smallest' | 'largest', units: Units): string {
  const { bound } = series[end]
  if (typeof bound !== 'number') return 'of the instants looked at'
  const sign = end === 'smallest' ? '≥' : '≤'
  return `certainly ${sign} ${seriesValue(series, bound, units)}`
}

/** The value at a time, straight between the instants that are told. */
export function valueAt({ times_s, values }: Series, time: number): number {
  const after = times_s.findIndex((t) => t >= time)
  if (after <= 0) return values[after === 0 ? 0 : values.length - 1]!
  const [from, to] = [times_s[after - 1]!, times_s[after]!]
  const share = to > from ? (time - from) / (to - from) : 1
  return values[after - 1]! + (values[after]! - values[after - 1]!) * share
}

/** The end that is bad: much of the reach used, little room to a limit. */
export function worstEnd({ what }: Series): 'smallest' | 'largest' {
  const small: Series['what'][] = ['to_limit', 'to_singularity', 'nearest', 'to_nearest']
  return small.includes(what) ? 'smallest' : 'largest'
}
