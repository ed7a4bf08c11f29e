import { watchDebounced } from '@vueuse/core'

import { useExport } from '../actions/exportStore'
import { useViews } from '../where/viewsStore'
import { useWhere } from '../where/whereStore'
import { useCell } from '../cell/cellStore'

const SIZE = { width: 288, height: 180 }

/**
 * Keeps a picture of the cell for the list of cells: of its opening view, or as one looks at it.
 */
export function useThumbnail(ready: () => boolean) {
  const cell = useCell()
  const where = useWhere()
  const views = useViews()
  const exporting = useExport()
  watchDebounced(
    [ready, () => cell.cell?.fingerprint, () => exporting.scene?.stage.nodeCount],
    async () => {
      const open = cell.cell
      if (!ready() || !open?.bodies.length || !exporting.scene?.stage.nodeCount) return
      const opening = views.views.find((v) => v.id === views.opening)
      const bare = { grid: true, shadow: true, frameSize: 1, frame: () => false }
      const view = {
        viewpoint: opening?.viewpoint ?? where.viewpoint,
        style: 'shaded_edges' as const,
        colours: 'role' as const,
      }
      const picture = exporting.scene.snapshot(view, SIZE.width, SIZE.height, {
        furniture: bare,
        small: true,
      })
      const png = await new Promise<Blob | null>((done) => picture.toBlob(done, 'image/png'))
      // The list does without when it can't be kept.
      if (png)
        await fetch(`/api/cells/${open.id}/thumbnail`, {
          method: 'PUT',
          body: png,
          headers: { 'content-type': 'image/png' },
        }).catch(() => undefined)
    },
    { debounce: 2500, immediate: true },
  )
}
