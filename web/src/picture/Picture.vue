<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, onBeforeUnmount, onMounted, provide, ref, shallowRef, watch } from 'vue'
import { useTheme } from 'vuetify'

import type { Cell, Vec3 } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useAccess } from '../findings/accessStore'
import { useFindings } from '../findings/findingsStore'
import { useTrying } from '../findings/tryingStore'
import { useMeasure } from '../findings/measureStore'
import { useOverlaps } from '../findings/overlapStore'
import { useReach } from '../findings/reachStore'
import { useSection } from '../where/sectionStore'
import { palettes } from '../scene/look'
import { useSettings } from '../settings/settingsStore'
import { useWhat } from '../what/whatStore'
import { useJog } from '../when/jogStore'
import { useTarget } from '../when/targetStore'
import { useWhen } from '../when/whenStore'
import PaneView from './PaneView.vue'
import { useDrawing } from '../where/drawingStore'
import { useTours } from '../where/tourStore'
import { useWhere } from '../where/whereStore'
import { loadMeshes, prepareForPicking, prepareLevels } from '../scene/meshes'
import { useExport } from '../actions/exportStore'
import type { SceneFrame } from '../scene/marks'
import { Scene } from '../scene/scene'
import { sceneKey } from './sceneKey'
import SectionDrawing from './SectionDrawing.vue'
import { useHandles } from './useHandles'
import { useInSight } from './useInSight'
import { usePaneRects } from './usePaneRects'
import { useTargetFrames } from './useTargetFrames'

const cell = useCell()
const what = useWhat()
const where = useWhere()
const when = useWhen()
const jog = useJog()
const target = useTarget()
const trying = useTrying()
const findings = useFindings()
const measure = useMeasure()
const overlaps = useOverlaps()
const reach = useReach()
const access = useAccess()
const drawing = useDrawing()
const section = useSection()
const settings = useSettings()
const tours = useTours()
const exporting = useExport()
const theme = useTheme()

const box = ref<HTMLDivElement>()
const canvas = ref<HTMLCanvasElement>()
const size = useElementSize(box)
const scene = shallowRef<Scene>()
const frame = ref(0)
const loading = ref(true)
const failed = ref('')
defineEmits<{ pointer: [at: Vec3 | null] }>()
provide(sceneKey, { scene, frame })

const palette = computed(() => palettes[theme.global.current.value.dark ? 'dark' : 'light'])

onMounted(() => {
  try {
    scene.value = new Scene(canvas.value!, palette.value, () => {
      frame.value++
      canvas.value!.dataset.calls = String(scene.value?.drawCalls)
      canvas.value!.dataset.ms = scene.value?.scriptMs.toFixed(2)
    })
    exporting.scene = scene.value
  } catch {
    failed.value =
      'This browser shows no 3D pictures (WebGL). Switch it on, or use another browser.'
  }
})
onBeforeUnmount(() => scene.value?.dispose())

const lookOf = (open: Cell) =>
  new Map(open.document.items.map((i) => [i.id, { role: i.role as string, colour: i.colour }]))
const targetFrames = useTargetFrames()
const framesOf = (open: Cell) =>
  [...open.frames, ...targetFrames.value].map((f) => ({
    item: f.item ?? null,
    kind: f.kind as string,
    node: f.node ?? null,
    pose: f.pose,
  }))

// What makes the bodies anew: another mesh, or other things that move.
watch(
  [scene, () => cell.cell?.id, () => cell.cell?.bodies, () => cell.cell?.moving_nodes],
  async () => {
    const [drawing, open] = [scene.value, cell.cell]
    if (!drawing || !open) return
    try {
      const meshes = await loadMeshes(open.id, open.bodies)
      if (cell.cell !== open) return
      const bodies = open.bodies.map((b) => ({
        item: b.item,
        node: b.node,
        mesh: meshes.get(b.mesh)!,
      }))
      drawing.stage.setBodies(bodies, lookOf(open), framesOf(open), open.poses, open.moving_nodes)
      drawing.stage.setPoses(open.moving_nodes, when.posesNow())
      loading.value = false
      prepareForPicking(bodies.map((b) => b.mesh))
      if (drawing.software) prepareLevels(bodies.map((b) => b.mesh))
    } catch (e) {
      failed.value = `The meshes could not be loaded. ${(e as Error).message}`
    }
  },
)

watch(
  [() => cell.cell?.poses, () => cell.cell?.frames, targetFrames, () => cell.cell?.document.items],
  ([poses, frames, targets], [before, marked, shown]) => {
    const open = cell.cell
    if (!open || loading.value) return
    if (poses !== before || frames !== marked || targets !== shown) standAgain()
    scene.value?.stage.setLook(lookOf(open))
  },
)
/** Everything where the cell says it stands. */
function standAgain() {
  const open = cell.cell!
  // Another number of coordinate systems: the bodies are made anew and stand right by themselves.
  if (scene.value?.stage.nodeCount !== open.poses.length) return
  scene.value.stage.setRest(open.poses, framesOf(open))
  pose()
}

const rects = usePaneRects(size)
const bringInSight = useInSight(scene, box, rects)
// Handles that can't be seen can't be dragged.
watch(
  () => !!target.grip,
  (on) => on && bringInSight(target.grip!.slice(0, 3).map((m) => m * 1e3) as Vec3),
)
watch([size.width, size.height, scene], ([w, h]) => {
  if (w && h) scene.value?.resize(Math.round(w), Math.round(h))
})
watch(rects, (all) => all.forEach((r) => (where.panes[r.index]!.aspect = r.width / r.height)), {
  immediate: true,
})
watch(
  [
    rects,
    () => where.panes.map((p) => [p.viewpoint, p.style, p.colours]),
    () => where.active,
    scene,
  ],
  () => {
    const views = rects.value.map((rect) => {
      const { viewpoint, style, colours } = where.panes[rect.index]!
      return { viewpoint, style, colours, ...rect }
    })
    scene.value?.setPanes(views, where.active)
  },
)

watch([scene, () => settings.looking.fine], ([drawing, fine]) => drawing && (drawing.fine = fine))
watch(palette, (p) => scene.value?.stage.setPalette(p))
watch(
  [() => what.visible, () => what.ghosts, () => what.selected, () => what.hovered, scene, loading],
  () =>
    scene.value?.stage.setShown({
      visible: what.visible,
      ghosts: what.ghosts,
      selected: what.selected,
      hovered: what.hovered,
    }),
)
const furniture = computed(() => {
  const { grid, shadow, frameSize, kinds } = settings.furniture
  const [listed, { visible, framed }] = [new Set(kinds), what]
  return {
    grid,
    shadow,
    frameSize,
    frame: (f: SceneFrame) =>
      (f.item !== null && framed.has(f.item)) ||
      (listed.has(f.kind) && (!f.item || visible.has(f.item))),
  }
})
watch([furniture, scene, loading], () => scene.value?.stage.setFurniture(furniture.value))
/** What moves, where it is now; what is jogged or tried, where the hand has it. */
function pose() {
  if (!cell.cell || loading.value) return
  scene.value?.stage.setPoses(cell.cell.moving_nodes, when.posesNow(section.drawnAt))
  const byHand = [jog.answer, trying.told].filter((now) => now?.nodes.length)
  for (const now of byHand) scene.value?.stage.setPoses(now!.nodes, now!.poses)
}
watch(
  [
    () => section.drawnAt,
    () => when.exact,
    () => when.track,
    () => jog.answer,
    () => trying.told,
    loading,
  ],
  pose,
)

useHandles(scene, loading, standAgain)
watch([() => section.cuts, () => section.faces, palette, loading], () =>
  scene.value?.stage.setSections({ ...section.cuts, nodeOf: section.nodeOf }, section.faces),
)
/** The gap that is shown: of the finding, or the nearest while something is tried by hand. */
const gap = computed(() => {
  const near = trying.near ?? findings.shown ?? jog.answer?.nearest[0]
  return near ? { a: near.on_a_mm as Vec3, b: near.on_b_mm as Vec3 } : null
})
watch([gap, scene, palette], () => scene.value?.stage.setGap(gap.value))
watch([() => findings.openEdges, () => overlaps.lines, scene, palette], () =>
  scene.value?.stage.setOpenEdges([...findings.openEdges, ...overlaps.lines]),
)
watch([() => measure.drawn, () => measure.shownSpan, scene, palette], ([drawn, span]) =>
  scene.value?.stage.setMeasured(drawn.lines, span && [span.from_mm as Vec3, span.to_mm as Vec3]),
)
watch([() => reach.lines, () => access.lines, scene, palette], () =>
  scene.value?.stage.setReached([...reach.lines, ...access.lines]),
)
watch([() => access.shaded, scene, palette], ([shaded]) => scene.value?.stage.setShade(shaded))
watch([() => tours.eyes, scene], () => scene.value?.stage.setTour(tours.eyes))
defineExpose({ scene })
</script>

<template>
  <div ref="box" class="picture">
    <canvas
      ref="canvas"
      role="img"
      :aria-label="`Picture of ${cell.cell?.document.name}`"
      data-test="picture"
      :data-frames="frame"
    />
    <PaneView
      v-for="(rect, place) in rects"
      :key="rect.index"
      :index="rect.index"
      :place="place"
      :many="rects.length > 1"
      :style="{
        left: `${rect.left}px`,
        top: `${rect.top}px`,
        width: `${rect.width}px`,
        height: `${rect.height}px`,
      }"
      @pointer="$emit('pointer', $event)"
    />
    <SectionDrawing v-if="drawing.open" />
    <div v-if="failed" class="message" role="alert">{{ failed }}</div>
    <div v-else-if="loading" class="message">Loading the picture…</div>
  </div>
</template>

<style scoped>
.picture {
  position: relative;
  overflow: hidden;
  min-width: 0;
  min-height: 0;
  width: 100%;
  height: 100%;
  background: var(--line);
}
canvas {
  position: absolute;
  left: 0;
  top: 0;
  width: 100%;
  height: 100%;
  display: block;
}
.message {
  position: absolute;
  inset: 0;
  display: grid;
  place-items: center;
  text-align: center;
  padding: 40px;
  color: var(--soft);
  pointer-events: none;
}
</style>
