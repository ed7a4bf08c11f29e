import { computed } from 'vue'

import { useActions } from '../actions/actionsStore'
import { useCell } from '../cell/cellStore'
import { lookKey } from '../picture/useHand'
import { readable } from '../settings/bindings'
import { type Movement, movementVerbs } from '../settings/gestures'
import { useSettings } from '../settings/settingsStore'
import { useHeld } from '../what/heldStore'
import { type FrameChoice, useItems } from '../what/itemsStore'
import { useJog } from '../when/jogStore'
import { useTarget } from '../when/targetStore'
import { useStandpoint } from '../where/standpointStore'

/** What the mouse does now, in words. */
export function useHint() {
  const cell = useCell()
  const items = useItems()
  const held = useHeld()
  const jog = useJog()
  const target = useTarget()
  const settings = useSettings()
  const standpoint = useStandpoint()
  const table = useActions()

  function frameInWords(): string | undefined {
    const names = { world: 'the world', parent: 'what carries it', own: 'its own frame' }
    const of = { selection: items, tcp: jog, target } as const
    const frame: FrameChoice = of[held.on!.what].frame
    return typeof frame === 'string' ? names[frame] : cell.items.get(frame.item)?.name
  }
  return computed(() => {
    if (standpoint.mode)
      return 'Drag looks round · W A S D go · E Q rise and sink · wheel sets the speed · Esc leaves'
    if (held.on) {
      const round = held.on.mode === 'turn' ? ' round' : ''
      const steps =
        held.on.what === 'selection' && items.locked
          ? `${items.locked.name} is locked`
          : 'hold Ctrl for steps of 10 mm and 5°'
      return `Drag an arrow${round}: ${steps} · along the axes of ${frameInWords()} · Esc ends`
    }
    if (lookKey.value)
      return 'Left drag turns · with Shift moves · with Ctrl comes nearer · let go of V to select'
    const shown: Movement[] = ['turn', 'move', 'select']
    const of = (m: Movement) =>
      Object.keys(settings.gestures)
        .filter((g) => settings.gestures[g] === m)
        .sort((a, b) => a.length - b.length)[0]
    const hints = shown.flatMap((m) =>
      of(m) ? `${of(m)} ${m === 'select' ? '' : 'drag '}${movementVerbs[m]}` : [],
    )
    const double = {
      fit: 'double click fits',
      pivot: 'double click sets the pivot',
      'face-on': 'double click looks square on',
      nothing: '',
    }[settings.looking.doubleClick]
    return [
      ...hints,
      'wheel comes nearer',
      double,
      `hold V: left turns`,
      `${readable(table.get('bindings').key ?? '?')} shows all`,
    ]
      .filter(Boolean)
      .join(' · ')
  })
}
