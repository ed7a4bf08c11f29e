<script setup lang="ts">
import { useElementSize, useEventListener } from '@vueuse/core'
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { useTheme } from 'vuetify'

import type { Section, Vec3 } from '../api/client'
import { useCell } from '../cells/cellStore'
import { useFindings } from '../findings/findingsStore'
import { palettes } from '../look'
import { useWhat } from '../what/whatStore'
import { useWhen } from '../when/whenStore'
import { add, dot, orbit, pan, zoom } from '../where/navigation'
import { useWhere } from '../where/whereStore'
import { loadMesh } from './meshes'
import { Scene } from './scene'

const cell = useCell()
const what = useWhat()
const where = useWhere()
const when = useWhen()
const findings = useFindings()
const theme = useTheme()

const box = ref<HTMLDivElement>()
const canvas = ref<HTMLCanvasElement>()
const size = useElementSize(box)
const scene = shallowRef<Scene>()
const frame = ref(0)
const loading = ref(true)
const failed = ref('')
const pointer = ref<Vec3 | null>(null)
const emit = defineEmits<{ pointer: [at: Vec3 | null] }>()

const palette = computed(() => palettes[theme.global.current.value.dark ? 'dark' : 'light'])
const roleOf = (item: string) => cell.items.get(item)?.role ?? 'structure'

onMounted(() => {
  try {
    scene.value = new Scene(canvas.value!, palette.value, () => frame.value++)
  } catch {
    failed.value = 'This browser shows no 3D pictures (WebGL). Switch it on, or use another browser.'
  }
})
onBeforeUnmount(() => scene.value?.dispose())

watch([scene, () => cell.cell?.id, () => cell.cell?.bodies, () => cell.cell?.item_nodes], async () => {
  const [drawing, open] = [scene.value, cell.cell]
  if (!drawing || !open) return
  try {
    const meshes = await Promise.all(open.bodies.map((b) => loadMesh(open.id, b.mesh)))
    if (cell.cell !== open) return
    const bodies = open.bodies.map((b, i) => ({ item: b.item, node: b.node, role: roleOf(b.item), mesh: meshes[i]! }))
    const frames = open.document.items.flatMap((item, i) => (item.role === 'frame' ? [{ item: item.id, node: open.item_nodes[i]! }] : []))
    drawing.setBodies(bodies, frames, open.poses)
    drawing.setPoses(open.moving_nodes, when.posesNow())
    drawing.setViewpoint(where.viewpoint)
    loading.value = false
  } catch (e) {
    failed.value = `The meshes could not be loaded. ${(e as Error).message}`
  }
})
watch([size.width, size.height, scene], ([w, h]) => {
  if (!w || !h) return
  where.aspect = w / h
  scene.value?.resize(w, h)
})
watch([() => where.viewpoint, scene], () => scene.value?.setViewpoint(where.viewpoint))
watch(palette, (p) => scene.value?.setPalette(p))
watch(
  [() => what.visible, () => what.selected, () => what.hovered, () => what.peeking, () => where.style, scene, loading],
  () => scene.value?.setShown({
    visible: what.visible, selected: what.selected, hovered: what.hovered, peeking: what.peeking, style: where.style,
  }),
)
watch([() => when.time, () => when.exact, () => when.track, loading], () => {
  if (cell.cell && !loading.value) scene.value?.setPoses(cell.cell.moving_nodes, when.posesNow())
})
watch([() => where.section, () => where.sectionFaces, palette, loading], () =>
  scene.value?.setSection(where.section, where.sectionFaces, roleOf),
)
const gap = computed(() => (findings.shown ? { a: findings.shown.on_a_mm as Vec3, b: findings.shown.on_b_mm as Vec3 } : null))
watch([gap, scene, palette], () => scene.value?.setGap(gap.value))

// ---- the hand
const local = (e: MouseEvent): [number, number] => {
  const r = canvas.value!.getBoundingClientRect()
  return [e.clientX - r.left, e.clientY - r.top]
}
const under = (x: number, y: number): Vec3 =>
  scene.value?.pick(x, y)?.at ?? scene.value!.facing(x, y, where.viewpoint.pivot_mm as Vec3)

interface Drag { button: number; x: number; y: number; moved: boolean; about: Vec3; pivotMark: boolean }
const drag = ref<Drag | null>(null)
const pivotAt = computed(() => (frame.value >= 0 && drag.value?.pivotMark ? scene.value?.project(drag.value.about) : null))

function down(e: PointerEvent) {
  canvas.value!.focus()
  canvas.value!.setPointerCapture(e.pointerId)
  const [x, y] = local(e)
  drag.value = { button: e.button, x: e.clientX, y: e.clientY, moved: false, about: under(x, y), pivotMark: false }
}
function moved(e: PointerEvent) {
  const d = drag.value
  const [x, y] = local(e)
  if (!d) {
    const hit = scene.value?.pick(x, y)
    what.hovered = hit?.item ?? null
    pointer.value = hit?.at ?? null
    emit('pointer', pointer.value)
    return
  }
  const [dx, dy] = [e.clientX - d.x, e.clientY - d.y]
  if (!d.moved && Math.hypot(dx, dy) < 4) return
  if (!d.moved) where.remember()
  Object.assign(d, { moved: true, x: e.clientX, y: e.clientY })
  const panning = d.button === 1 || d.button === 2 || e.shiftKey
  d.pivotMark = !panning
  where.move(panning ? pan(where.viewpoint, dx, dy, size.width.value) : orbit(where.viewpoint, d.about, -dx * 0.35, dy * 0.35))
}
function up(e: PointerEvent) {
  const d = drag.value
  drag.value = null
  if (!d || d.moved || d.button !== 0) return
  const hit = scene.value?.pick(...local(e))
  if (what.peeking && !hit) return
  what.select(hit?.item ?? null, e.ctrlKey || e.metaKey)
}
function doubleClick(e: MouseEvent) {
  const hit = scene.value?.pick(...local(e))
  void (hit ? where.fitSelection([hit.item]) : where.fitAll())
}
let lastWheel = 0
useEventListener(canvas, 'wheel', (e: WheelEvent) => {
  e.preventDefault()
  if (e.timeStamp - lastWheel > 400) where.remember()
  lastWheel = e.timeStamp
  const [x, y] = local(e)
  // Two fingers on a trackpad move in both directions or by fractions; a wheel steps one way.
  const trackpad = !e.ctrlKey && e.deltaMode === 0 && (e.deltaX !== 0 || !Number.isInteger(e.deltaY))
  if (trackpad) {
    where.move(e.shiftKey
      ? pan(where.viewpoint, -e.deltaX, -e.deltaY, size.width.value)
      : orbit(where.viewpoint, where.viewpoint.pivot_mm as Vec3, -e.deltaX * 0.2, e.deltaY * 0.2))
    return
  }
  const pixels = e.deltaMode === 1 ? e.deltaY * 33 : e.deltaY
  where.move(zoom(where.viewpoint, under(x, y), Math.exp(Math.max(-240, Math.min(240, pixels)) * (e.ctrlKey ? 0.01 : 0.0016))))
}, { passive: false })

// ---- the section's handle
const handle = computed(() => {
  const s = where.section
  if (!s || frame.value < 0) return null
  const at = scene.value?.project(s.point_mm as Vec3)
  const tip = scene.value?.project(add(s.point_mm as Vec3, s.normal as Vec3, 100))
  return at && tip ? { at, direction: [tip[0] - at[0], tip[1] - at[1]] as const } : null
})
let grip: { x: number; y: number; from: Section } | null = null
function grab(e: PointerEvent) {
  ;(e.currentTarget as Element).setPointerCapture(e.pointerId)
  grip = { x: e.clientX, y: e.clientY, from: where.section! }
}
function pull(e: PointerEvent) {
  if (!grip || !handle.value) return
  const [hx, hy] = handle.value.direction
  const length = hx * hx + hy * hy
  if (length < 1) return
  const by = (((e.clientX - grip.x) * hx + (e.clientY - grip.y) * hy) / length) * 100
  where.section = { ...grip.from, point_mm: add(grip.from.point_mm as Vec3, grip.from.normal as Vec3, by) }
}
const handleName = computed(() => {
  const s = where.section
  return s ? `Section at ${dot(s.point_mm as Vec3, s.normal as Vec3).toFixed(1)} mm along its normal; drag to move` : ''
})

// ---- the label of a closest approach
const label = computed(() => {
  const pair = findings.shown
  if (!pair || frame.value < 0 || Math.abs(when.time - pair.time_s) > 1e-6) return null
  const at = scene.value?.project(pair.on_a_mm as Vec3)
  return at ? { at, pair } : null
})
defineExpose({ scene })
</script>

<template>
  <div ref="box" class="picture">
    <canvas
      ref="canvas" tabindex="0" role="img" :aria-label="`Picture of ${cell.cell?.document.name}`" data-test="picture"
      :data-frames="frame" @pointerdown="down" @pointermove="moved" @pointerup="up" @dblclick="doubleClick" @contextmenu.prevent
      @pointerleave="((what.hovered = null), emit('pointer', null))"
    />
    <div v-if="pivotAt" class="pivot" :style="{ left: `${pivotAt[0]}px`, top: `${pivotAt[1]}px` }" />
    <button
      v-if="handle && !findings.shown" class="handle" data-test="section-handle" :title="handleName" :aria-label="handleName"
      :style="{ left: `${handle.at[0]}px`, top: `${handle.at[1]}px`, rotate: `${Math.atan2(handle.direction[1], handle.direction[0])}rad` }"
      @pointerdown="grab" @pointermove="pull" @pointerup="grip = null"
    >
      <svg width="44" height="22" viewBox="-22 -11 44 22"><path d="M-20 0 L-11 -6 V-2 H11 V-6 L20 0 L11 6 V2 H-11 V6 Z" /></svg>
    </button>
    <div v-if="label" class="gap" data-test="gap-label" :style="{ left: `${label.at[0]}px`, top: `${label.at[1]}px` }">
      <b class="number">{{ label.pair.attained_mm.toFixed(1) }} mm</b> needs {{ label.pair.required_mm }}
    </div>
    <div v-if="failed" class="message" role="alert">{{ failed }}</div>
    <div v-else-if="loading" class="message">Loading the picture…</div>
  </div>
</template>

<style scoped>
.picture { position: relative; overflow: hidden; min-width: 0; min-height: 0; background: rgb(var(--v-theme-background)); }
canvas { position: absolute; inset: 0; width: 100%; height: 100%; display: block; outline-offset: -2px; touch-action: none; }
.pivot { position: absolute; width: 14px; height: 14px; margin: -7px; border: 2px solid var(--plum); border-radius: 50%; pointer-events: none; }
.pivot::after { content: ''; position: absolute; inset: 3px; border-radius: 50%; background: var(--plum); }
.handle { position: absolute; width: 44px; height: 22px; margin: -11px -22px; cursor: grab; touch-action: none; }
.handle path { fill: var(--accent); stroke: rgb(var(--v-theme-surface)); stroke-width: 1.5; }
.gap {
  position: absolute; translate: -50% 26px; padding: 3px 9px; white-space: nowrap; pointer-events: none;
  background: rgb(var(--v-theme-surface)); border: 1.5px solid rgb(var(--v-theme-error)); border-radius: 5px;
}
.gap b { color: rgb(var(--v-theme-error)); }
.message { position: absolute; inset: 0; display: grid; place-items: center; text-align: center; padding: 40px; color: var(--soft); pointer-events: none; }
</style>
