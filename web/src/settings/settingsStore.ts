import { usePreferredDark, usePreferredReducedMotion, useStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref } from 'vue'

import { type Gestures, schemes } from './gestures'
import type { AngleUnit, LengthUnit } from './unitKinds'

/** What a double click on a thing does. */
export type DoubleClick = 'fit' | 'pivot' | 'face-on' | 'nothing'
/** What a turn turns about. */
export type PivotChoice = 'pointer' | 'selection' | 'middle'

const LOOKING = {
  pivot: 'pointer' as PivotChoice,
  doubleClick: 'fit' as DoubleClick,
  wheelReversed: false,
  /** How much nearer a notch of the wheel comes, percent. */
  wheelStep: 15,
  /** Degrees a pixel. */
  turnSpeed: 0.35,
  /** Times the speed of the pointer. */
  moveSpeed: 1,
  parallelForStandard: false,
  eyeHeight_mm: 1600,
  linked: false,
  ghostRest: false,
  /** Without a graphics card: whether a picture that rests is drawn again with more pixels. */
  fine: true,
}
/** Whether the run plan is swept again whenever the model has changed. */
const SWEEPING = { byItself: false }
const PANELS = {
  roster: true,
  findings: true,
  path: true,
  rosterWidth: 19,
  findingsWidth: 22,
  pathHeight: 19,
  /** Where panels over the picture were dragged to, by their name, pixels. */
  placed: {} as Record<string, [number, number]>,
}
const FURNITURE = {
  grid: true,
  shadow: true,
  kinds: ['base', 'tcp', 'frame'],
  frameSize: 34,
  handleSize: 1,
}

const UNITS = { length: 'mm' as LengthUnit, angle: 'deg' as AngleUnit, decimals: 1 }

/** What a person likes; kept in the browser. */
export const useSettings = defineStore('settings', () => {
  const kept = <T extends object>(name: string, standard: T) =>
    useStorage<T>(`selvik.${name}`, structuredClone(standard), undefined, { mergeDefaults: true })
  const theme = useStorage<'system' | 'light' | 'dark'>('selvik.theme', 'system')
  const looking = kept('looking', LOOKING)
  const sweeping = kept('sweeping', SWEEPING)
  const panels = kept('panels', PANELS)
  const furniture = kept('furniture', FURNITURE)
  const units = kept('units', UNITS)
  const gestures = kept<Gestures>('gestures', schemes[0]!.gestures)
  /** Keys that differ from the standard, by action; '' for none. */
  const keys = kept<Record<string, string>>('keys', {})
  /** Actions pinned to the quick bar. */
  const pinned = kept<string[]>('pinned', [])

  const prefersDark = usePreferredDark()
  const dark = computed(() =>
    theme.value === 'system' ? prefersDark.value : theme.value === 'dark',
  )
  const motion = usePreferredReducedMotion()
  const still = computed(() => motion.value === 'reduce')
  const toggleDark = () => (theme.value = dark.value ? 'light' : 'dark')

  /** Which dialog stands open. */
  const open = ref<'find' | 'settings' | 'bindings' | null>(null)

  function standardPanels() {
    panels.value = structuredClone(PANELS)
  }
  function standard() {
    looking.value = structuredClone(LOOKING)
    sweeping.value = structuredClone(SWEEPING)
    furniture.value = structuredClone(FURNITURE)
    units.value = structuredClone(UNITS)
    gestures.value = { ...schemes[0]!.gestures }
    keys.value = {}
    pinned.value = []
    theme.value = 'system'
    standardPanels()
  }
  function togglePin(action: string) {
    pinned.value = pinned.value.includes(action)
      ? pinned.value.filter((a) => a !== action)
      : [...pinned.value, action]
  }

  function exported(): string {
    const all = {
      selvik_settings: 1,
      theme: theme.value,
      looking: looking.value,
      sweeping: sweeping.value,
      furniture: furniture.value,
      units: units.value,
      gestures: gestures.value,
      keys: keys.value,
      pinned: pinned.value,
    }
    return JSON.stringify(all, null, 2)
  }
  /** Takes settings from JSON; throws a sentence when they are none. */
  function imported(text: string) {
    let all: Record<string, unknown>
    try {
      all = JSON.parse(text) as Record<string, unknown>
    } catch {
      throw new Error('That file is not JSON; settings are exported as JSON from this window.')
    }
    if (all.selvik_settings !== 1)
      throw new Error('That file holds no settings of Selvik: "selvik_settings": 1 is missing.')
    const shapes = {
      looking: LOOKING,
      sweeping: SWEEPING,
      furniture: FURNITURE,
      units: UNITS,
      gestures: {},
      keys: {},
      pinned: [] as string[],
    }
    for (const [name, shape] of Object.entries(shapes)) {
      const given = all[name]
      if (given === undefined) continue
      if (
        typeof given !== 'object' ||
        given === null ||
        Array.isArray(given) !== Array.isArray(shape)
      )
        throw new Error(`"${name}" in that file is not what it should be; nothing was changed.`)
      for (const [key, value] of Object.entries(shape)) {
        const other = (given as Record<string, unknown>)[key]
        if (other !== undefined && typeof other !== typeof value)
          throw new Error(
            `"${name}.${key}" in that file should be a ${typeof value}; nothing was changed.`,
          )
      }
    }
    if (all.theme === 'light' || all.theme === 'dark' || all.theme === 'system')
      theme.value = all.theme
    if (all.looking) looking.value = { ...LOOKING, ...(all.looking as typeof LOOKING) }
    if (all.sweeping) sweeping.value = { ...SWEEPING, ...(all.sweeping as typeof SWEEPING) }
    if (all.furniture) furniture.value = { ...FURNITURE, ...(all.furniture as typeof FURNITURE) }
    if (all.units) units.value = { ...UNITS, ...(all.units as typeof UNITS) }
    if (all.gestures) gestures.value = all.gestures as Gestures
    if (all.keys) keys.value = all.keys as Record<string, string>
    if (all.pinned) pinned.value = all.pinned as string[]
  }

  return {
    theme,
    dark,
    still,
    looking,
    sweeping,
    panels,
    furniture,
    units,
    gestures,
    keys,
    pinned,
    open,
    toggleDark,
    standardPanels,
    standard,
    togglePin,
    exported,
    imported,
  }
})
