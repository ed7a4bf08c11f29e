import { defineStore } from 'pinia'
import { shallowRef } from 'vue'

import { answer, api, type SavedView } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useSection } from '../where/sectionStore'
import { useExport } from '../actions/exportStore'
import { useWhat } from '../what/whatStore'
import { useWhen } from '../when/whenStore'
import { useViews } from '../where/viewsStore'

/** Small pictures of saved views, drawn from the cell as it is now. */
export const useThumbnails = defineStore('thumbnails', () => {
  const cell = useCell()
  const what = useWhat()
  const when = useWhen()
  const views = useViews()
  const exporting = useExport()
  const cut = useSection()
  const drawn = shallowRef(new Map<string, string>())
  const key = (view: SavedView) => `${cell.cell?.id} ${JSON.stringify(view)}`
  const of = (view: SavedView) => drawn.value.get(key(view))

  async function draw() {
    for (const view of views.views) {
      const [scene, open] = [exporting.scene, cell.cell]
      if (!scene || !open || of(view)) continue
      const query = { time_s: view.time_s ?? 0 }
      const poses =
        open.path.duration_s > 0
          ? await answer(
              api.GET('/api/cells/{id}/poses', { params: { path: { id: open.id }, query } }),
            ).catch(() => null)
          : null
      // Drawn and put back in one go: nothing of it is seen.
      const hidden = new Set(view.hidden)
      const visible = new Set([...cell.items.keys()].filter((i) => !hidden.has(i)))
      if (poses) scene.stage.setPoses(open.moving_nodes, poses)
      const uncut = new Set(view.uncut)
      scene.stage.setSections({ sections: view.sections ?? [], uncut, nodeOf: cut.nodeOf }, null)
      scene.stage.setShown({ visible, ghosts: new Set(), selected: new Set(), hovered: null })
      const look = {
        viewpoint: view.viewpoint,
        style: view.style,
        colours: view.colours ?? ('role' as const),
      }
      const furniture = { grid: true, shadow: true, frame: () => false, frameSize: 1 }
      const picture = scene.snapshot(look, 168, 104, { furniture, small: true })
      if (poses) scene.stage.setPoses(open.moving_nodes, when.posesNow())
      scene.stage.setSections({ ...cut.cuts, nodeOf: cut.nodeOf }, cut.faces)
      scene.stage.setShown({
        visible: what.visible,
        ghosts: what.ghosts,
        selected: what.selected,
        hovered: what.hovered,
      })
      drawn.value = new Map(drawn.value).set(key(view), picture.toDataURL('image/png'))
    }
  }
  return { of, draw }
})
