import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, api, type Schemas } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useMoment } from '../cell/momentStore'
import { useNotices } from '../cell/noticesStore'
import { type HandleMode, useHeld } from '../what/heldStore'
import type { Arrange, FrameChoice } from '../what/itemsStore'
import { usePrograms } from './programStore'
import { useWhen } from './whenStore'

/** The target of the move that is selected: where it stands, and taking it elsewhere by hand. */
export const useTarget = defineStore('target', () => {
  const cell = useCell()
  const programs = usePrograms()
  const moment = useMoment()
  const when = useWhen()
  const notices = useNotices()

  const target = computed(() => {
    const step = programs.one
    return step && 'to' in step && step.to ? programs.targets.get(step.to) : undefined
  })
  /** As requests name it. */
  const named = computed(() =>
    target.value ? { program: programs.program!.id, target: target.value.id } : null,
  )
  /** Along whose axes it is shifted. */
  const frame = ref<FrameChoice>('parent')
  /** Handles on it: none, to move or to turn. */
  const handles = useHeld().modeOf('target')

  const facts = shallowRef<Schemas['TargetFacts'] | null>(null)
  let asked = 0
  const key = () => named.value && `${named.value.program} ${named.value.target}`
  watch([key, handles, frame, () => cell.cell?.revision, () => moment.time], async () => {
    const mine = ++asked
    if (!named.value || !handles.value || !cell.cell || moment.playing) return
    const body = { ...named.value, frame: frame.value, time_s: moment.time }
    const request = { params: { path: { id: cell.cell.id } }, body }
    try {
      const now = await answer(api.POST('/api/cells/{id}/target-facts', request))
      if (mine === asked) facts.value = now
    } catch (e) {
      notices.say(e)
    }
  })
  watch([key, () => programs.open], ([now, open]) => {
    facts.value = null
    if (!now || !open) handles.value = null
  })
  watch(handles, (on) => on || (facts.value = null))
  /** Where its handles stand, along the axes of the chosen frame. */
  const grip = computed(() => {
    const at = handles.value && facts.value
    return at ? [...at.world.slice(0, 3), ...at.axes.slice(3)] : null
  })

  /** To when the robot is there. */
  function goThere() {
    const span = programs.starts.get(programs.at)
    if (span) when.goTo(span.end_s)
  }
  function toggleHandles(mode: HandleMode) {
    handles.value = handles.value === mode ? null : mode
    if (handles.value) goThere()
  }
  async function arrange(how: Arrange) {
    const made = await cell.change(() => {
      const { id, revision } = cell.cell!
      const body = { base_revision: revision, target: named.value!, time_s: moment.time, how }
      return answer(api.POST('/api/cells/{id}/arrange', { params: { path: { id } }, body }))
    })
    if (made) goThere()
    return made
  }

  return { target, named, frame, handles, grip, toggleHandles, arrange }
})
