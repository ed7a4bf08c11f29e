import { onMounted, ref, watch } from 'vue'
import { useRoute } from 'vue-router'

import { useLive } from '../api/live'
import { useCell } from '../cell/cellStore'
import { useFindings } from '../findings/findingsStore'
import { useVariants } from '../findings/variantsStore'
import { useThumbnail } from '../picture/cellThumbnail'
import { loadMeshes } from '../scene/meshes'
import { useWhat } from '../what/whatStore'
import { useWhen } from '../when/whenStore'
import { useTours } from '../where/tourStore'
import { useViews } from '../where/viewsStore'
import { useWhere } from '../where/whereStore'
import { useLinks } from './links'

/** Opens the cell that the address names, and keeps what is shown as the server has it. */
export function useCellPage(opens: string) {
  const route = useRoute()
  const cell = useCell()
  const where = useWhere()
  const when = useWhen()
  const findings = useFindings()
  const views = useViews()
  const tours = useTours()
  const variants = useVariants()
  const what = useWhat()
  const links = useLinks()

  const ready = ref(false)
  async function start() {
    const asked = route.query
    await cell.open(opens)
    if (!cell.cell) return
    // On their way while the page is built; the picture waits for them.
    loadMeshes(opens, cell.cell.bodies).catch(() => undefined)
    document.title = `${cell.cell.document.name} – Selvik`
    ready.value = true
    tours.open(null)
    await where.loadStandardViews()
    what.restore()
    if (!where.restore()) await views.showOpening()
    await Promise.all([when.load(), findings.load()])
    await links.follow(asked)
    if (!findings.findings && !cell.cell.path.fault) await findings.sweep()
  }
  onMounted(start)

  const { status } = useLive(
    (event) => {
      if (event.cell !== opens) return
      if (event.event === 'job') findings.heard(event)
      else if (event.event === 'variants') void variants.heard()
      else if (event.revision > (cell.cell?.revision ?? 0) && !cell.saving)
        void cell.refresh().then(findings.load)
    },
    () => {
      void cell.refresh().then(findings.load)
      void variants.load()
    },
  )

  // What an edit changes for the programs is asked for again; findings know themselves that they
  // are stale.
  watch(
    [() => cell.cell?.path, () => cell.cell?.moving_nodes, () => cell.cell?.poses],
    (_, [before]) => before && ready.value && void when.load(),
  )
  watch(
    () => cell.cell?.document.name,
    (name) => name && (document.title = `${name} – Selvik`),
  )
  useThumbnail(() => ready.value)

  return { ready, start, status }
}
