<script setup lang="ts">
import { mdiClose } from '@mdi/js'
import { computed } from 'vue'

import { styleNames } from '../where/panes'
import type { Section, Vec3 } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useFindings } from '../findings/findingsStore'
import { axisOf, useSection } from '../where/sectionStore'
import { useSettings } from '../settings/settingsStore'
import { useUnits } from '../settings/units'
import { useWhat } from '../what/whatStore'
import { useJog } from '../when/jogStore'
import { clock, useWhen } from '../when/whenStore'
import { dot } from '../scene/navigation'
import { useWhere } from '../where/whereStore'
import SectionBar from './SectionBar.vue'

const props = defineProps<{ index: number }>()
const cell = useCell()
const where = useWhere()
const jog = useJog()
const what = useWhat()
const when = useWhen()
const findings = useFindings()
const section = useSection()
const settings = useSettings()
const units = useUnits()

interface Chip {
  id: string
  text: string
  undo: () => unknown
  how: string
}

const pane = computed(() => where.panes[props.index]!)
/** What holds for all panes is said in the first. */
const first = computed(() => where.shownPanes[0] === props.index)

function nameOf(shape: NonNullable<Section['shape']>): string {
  if (shape === 'plane') return 'Cut'
  return 'slab' in shape ? 'Slab' : 'Corner'
}
/** Where a cut runs, along its axis if it has one, and with what it moves. */
function saidOf({ normal, point_mm, fixed_to, shape }: Section): string {
  const n = normal as Vec3
  const axis = axisOf(n)
  const along = dot(point_mm as Vec3, n) / Math.hypot(...n)
  const place = axis >= 0 ? `${'XYZ'[axis]} ${units.length(point_mm[axis]!)}` : units.length(along)
  const what = nameOf(shape ?? 'plane')
  const on = fixed_to ? ` of ${cell.items.get(fixed_to)?.name ?? fixed_to}` : ''
  return `${what} at ${place}${on}`
}

/** Everything that makes the picture differ from plain, in words. */
const chips = computed<Chip[]>(() => {
  const list: Chip[] = []
  const chip = (id: string, text: string, how: string, undo: () => unknown) =>
    list.push({ id, text, how, undo })
  if (first.value) {
    if (findings.shown)
      chip(
        'evidence',
        `Closest approach of ${findings.shown.a.name} and ${findings.shown.b.name}`,
        'Go back to the view before',
        findings.leaveEvidence,
      )
    if (what.isolated && !findings.shown)
      chip(
        'isolated',
        `${what.isolated.size} isolated`,
        'Show the rest again',
        () => (what.isolated = null),
      )
    if (what.inSets)
      chip(
        'sets',
        `Only ${[...what.sets]
          .map((id) => cell.cell?.document.visibility_sets?.find((s) => s.id === id)?.name)
          .filter(Boolean)
          .join(', ')}`,
        'Show all sets',
        () => (what.sets = new Set()),
      )
    if (what.hiddenCount) chip('hidden', `${what.hiddenCount} hidden`, 'Show all', what.showAll)
    if (what.peeking)
      chip(
        'peek',
        'Hidden things ghosted: click one to bring it back',
        'End the peek',
        () => (what.peeking = false),
      )
    if (what.ghostRest && what.ghosts.size)
      chip('ghosted', `${what.ghosts.size} ghosted`, 'No ghosts', () => (what.ghostRest = false))
    if (!findings.shown)
      section.sections.forEach((cut, i) =>
        chip(`section${i || ''}`, saidOf(cut), 'Remove the cut', () => section.remove(i)),
      )
    if (jog.active && jog.item)
      chip(
        'jogged',
        `${cell.items.get(jog.item)?.name} jogged by hand`,
        'Where it is without the hand',
        jog.reset,
      )
    if (when.time > 0 && !when.playing)
      chip('time', `At ${clock(when.time)}`, 'Back to the start of the path', () => when.goTo(0))
    if (!settings.furniture.grid)
      chip('grid', 'No grid', 'Show the grid', () => (settings.furniture.grid = true))
    if (!settings.furniture.shadow)
      chip(
        'shadow',
        'No shadow',
        'Show the shadow on the ground',
        () => (settings.furniture.shadow = true),
      )
    if (settings.looking.linked && where.shownPanes.length > 1)
      chip(
        'linked',
        'Panes move together',
        'Let each pane move alone',
        () => (settings.looking.linked = false),
      )
    if (where.enlarged)
      chip('enlarged', 'One pane enlarged', 'Bring the others back', where.enlarge)
  }
  if (pane.value.style !== 'shaded_edges')
    chip(
      'style',
      styleNames[pane.value.style],
      'Shaded with edges again',
      () => (pane.value.style = 'shaded_edges'),
    )
  if (pane.value.colours === 'own')
    chip('colours', 'Own colours', 'Colours by role again', () => (pane.value.colours = 'role'))
  const v = pane.value.viewpoint
  if (Math.abs(v.roll_deg) >= 0.005)
    chip('rolled', `Rolled by ${v.roll_deg.toFixed(1)}°`, 'Level the view', () =>
      where.goTo({ ...v, roll_deg: 0 }, props.index),
    )
  if (v.projection === 'perspective' && (v.lens_mm < 20 || v.lens_mm > 70))
    chip('lens', `Lens ${v.lens_mm.toFixed(0)} mm`, 'Lens of 35 mm', () =>
      where.move({ ...v, lens_mm: 35 }, props.index),
    )
  const near = where.squareness(v)
  if (v.projection === 'parallel' && near && near.off >= 0.005 && near.off < 15) {
    chip(
      'off-square',
      `Off square by ${near.off.toFixed(near.off < 0.1 ? 2 : 1)}°`,
      `Square up to ${near.s.name.toLowerCase()}`,
      () => where.turnTo(near.s.bearing_deg, near.s.elevation_deg, props.index),
    )
  }
  return list
})
</script>

<template>
  <div class="chips" role="status" aria-label="What is in force">
    <button
      v-for="chip in chips"
      :key="chip.id"
      class="chip"
      :title="chip.how"
      :aria-label="`${chip.text}. ${chip.how}`"
      :data-test="`chip-${chip.id}`"
      @click="chip.undo()"
    >
      <span>{{ chip.text }}</span><v-icon :icon="mdiClose" size="13" />
    </button>
    <SectionBar v-if="section.section && !findings.shown && first" />
  </div>
</template>

<style scoped>
.chips {
  position: absolute;
  left: 12px;
  top: 12px;
  right: 12px;
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  pointer-events: none;
}
.chips > * {
  pointer-events: auto;
}
.chip {
  display: flex;
  gap: 8px;
  align-items: center;
  min-height: 26px;
  padding: 0 10px;
  border-radius: 13px;
  border: 1px solid var(--line);
  background: rgb(var(--v-theme-surface));
  color: rgb(var(--v-theme-on-surface));
  max-width: 100%;
}
.chip span {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.chip:hover {
  border-color: var(--accent);
}
</style>
