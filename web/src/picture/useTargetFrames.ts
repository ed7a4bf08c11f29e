import { shallowRef, watch } from 'vue'

import { answer, api, type Schemas } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useNotices } from '../cell/noticesStore'
import { useSettings } from '../settings/settingsStore'

/** Frames of the targets of programs, fetched while they are shown: there may be thousands. */
export function useTargetFrames() {
  const cell = useCell()
  const notices = useNotices()
  const settings = useSettings()
  const frames = shallowRef<Schemas['FrameInfo'][]>([])
  const shown = () => settings.furniture.kinds.includes('target')
  watch(
    [shown, () => cell.cell?.id, () => cell.cell?.revision],
    async ([wanted, id, revision]) => {
      if (!wanted || !id) return (frames.value = [])
      try {
        const request = { params: { path: { id } } }
        const found = await answer(api.GET('/api/cells/{id}/target-frames', request))
        if (cell.cell?.id === id && cell.cell.revision === revision) frames.value = found
      } catch (e) {
        notices.say(e)
      }
    },
    { immediate: true },
  )
  return frames
}
