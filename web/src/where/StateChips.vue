<script setup lang="ts">
import { mdiClose } from '@mdi/js'
import { computed } from 'vue'

import { useFindings } from '../findings/findingsStore'
import { useWhat } from '../what/whatStore'
import { clock, useWhen } from '../when/whenStore'
import { dot } from './navigation'
import { useWhere } from './whereStore'
import type { Vec3 } from '../api/client'

const where = useWhere()
const what = useWhat()
const when = useWhen()
const findings = useFindings()

interface Chip { id: string; text: string; undo: () => unknown; how: string }

/** Everything that makes the picture differ from plain, in words. */
const chips = computed<Chip[]>(() => {
  const list: Chip[] = []
  const chip = (id: string, text: string, how: string, undo: () => unknown) => list.push({ id, text, how, undo })
  if (findings.shown) chip('evidence', `Closest approach of ${findings.shown.a.name} and ${findings.shown.b.name}`, 'Go back to the view before', findings.leaveEvidence)
  if (what.isolated && !findings.shown) chip('isolated', `${what.isolated.size} isolated`, 'Show the rest again', () => (what.isolated = null))
  if (what.hiddenCount) chip('hidden', `${what.hiddenCount} hidden`, 'Show all', what.showAll)
  if (what.peeking) chip('peek', 'Hidden things ghosted', 'End the peek', () => (what.peeking = false))
  if (where.section && !findings.shown) {
    const n = where.section.normal as Vec3
    const axis = ['X', 'Y', 'Z'][n.findIndex((x) => Math.abs(x) > 0.999)]
    const at = dot(where.section.point_mm as Vec3, n) * (axis ? n.find((x) => Math.abs(x) > 0.999)! : 1)
    chip('section', `Cut at ${axis ? `${axis} ` : ''}${at.toFixed(1)} mm`, 'Remove the cut', where.toggleSection)
  }
  if (where.style !== 'shaded_edges') chip('style', { shaded: 'Without edges', hidden_removed: 'Hidden edges removed', wireframe: 'Wireframe' }[where.style], 'Shaded with edges again', () => (where.style = 'shaded_edges'))
  const near = where.standing
  if (where.viewpoint.projection === 'parallel' && near && near.off >= 0.005 && near.off < 15) {
    chip('off-square', `Off square by ${near.off.toFixed(near.off < 0.1 ? 2 : 1)}°`, `Square up to ${near.s.name.toLowerCase()}`, () => where.turnTo(near.s.bearing_deg, near.s.elevation_deg))
  }
  if (when.time > 0 && !when.playing) chip('time', `At ${clock(when.time)}`, 'Back to the start of the path', () => when.goTo(0))
  return list
})
const values = computed(() => {
  const s = where.section
  const axis = s ? s.normal.findIndex((x) => Math.abs(x!) > 0.999) : -1
  return s && !findings.shown ? { axis, at: axis >= 0 ? s.point_mm[axis]! : dot(s.point_mm as Vec3, s.normal as Vec3) } : null
})
function setAxis(axis: number) {
  const normal = [0, 0, 0]
  normal[axis] = 1
  where.section = { ...where.section!, normal }
}
function setAt(e: Event) {
  const to = Number.parseFloat((e.target as HTMLInputElement).value.replace(',', '.'))
  const { axis, at } = values.value!
  if (!Number.isFinite(to)) return
  const n = where.section!.normal
  const point = where.section!.point_mm.map((x, i) => (axis >= 0 ? (i === axis ? to : x) : x + n[i]! * (to - at)))
  where.section = { ...where.section!, point_mm: point }
}
const flip = () => (where.section = { ...where.section!, normal: where.section!.normal.map((x) => -x) })
</script>

<template>
  <div class="chips" role="status" aria-label="What is in force">
    <button v-for="chip in chips" :key="chip.id" class="chip" :title="chip.how" :aria-label="`${chip.text}. ${chip.how}`" :data-test="`chip-${chip.id}`" @click="chip.undo()">
      <span>{{ chip.text }}</span><v-icon :icon="mdiClose" size="13" />
    </button>
    <div v-if="values" class="cut" role="group" aria-label="Section">
      <button v-for="(name, i) in ['X', 'Y', 'Z']" :key="name" :class="{ on: values.axis === i }" :title="`Cut square to ${name}`" @click="setAxis(i)">{{ name }}</button>
      <input class="number" :value="values.at.toFixed(1)" aria-label="Position of the cut, mm" data-test="section-at" @change="setAt" /> mm
      <button title="Take away the other side" data-test="section-flip" @click="flip">Flip</button>
      <span v-if="where.sectionFaces" class="soft number" data-test="section-area" title="Area of all cut faces">{{ (where.sectionFaces.area_mm2 / 100).toFixed(1) }} cm²</span>
    </div>
  </div>
</template>

<style scoped>
.chips { position: absolute; left: 12px; top: 12px; right: 12px; display: flex; flex-wrap: wrap; gap: 8px; pointer-events: none; }
.chips > * { pointer-events: auto; }
.chip, .cut { display: flex; gap: 8px; align-items: center; min-height: 26px; padding: 0 10px; border-radius: 13px; border: 1px solid var(--line); background: rgb(var(--v-theme-surface)); color: rgb(var(--v-theme-on-surface)); max-width: 100%; }
.chip span { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.chip:hover { border-color: var(--accent); }
.cut input { width: 74px; text-align: right; border-bottom: 1px solid var(--line); }
.cut button { padding: 0 5px; border-radius: 4px; }
.cut button.on { background: var(--accent-tint); color: var(--accent); font-weight: 700; }
</style>
