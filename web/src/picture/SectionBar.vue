<script setup lang="ts">
import { mdiDotsHorizontal } from '@mdi/js'
import { computed, ref } from 'vue'

import type { Vec3 } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useNaming } from '../cell/namingStore'
import { dot } from '../scene/navigation'
import { useKeys } from '../settings/bindings'
import { useUnits } from '../settings/units'
import UnitField from '../what/UnitField.vue'
import { useWhat } from '../what/whatStore'
import { useDrawing } from '../where/drawingStore'
import { axisOf, useSection } from '../where/sectionStore'
import { useWhere } from '../where/whereStore'

/** The section that is worked on: its direction, its place, and all else one can do with it. */
const cell = useCell()
const section = useSection()
const drawing = useDrawing()
const units = useUnits()
const what = useWhat()
const where = useWhere()
const keyOf = useKeys()
const naming = useNaming()

const one = computed(() => section.section!)
const axis = computed(() => axisOf(one.value.normal))
const place = computed(() => {
  const { point_mm, normal } = one.value
  return axis.value >= 0 ? point_mm[axis.value]! : dot(point_mm as Vec3, unit(normal as Vec3))
})
const unit = (v: Vec3) => v.map((x) => x / Math.hypot(...v)) as Vec3
/** How often something was typed: what is in force is shown then, also where that is the same. */
const answered = ref(0)
function setPlace(to: number) {
  const along = axis.value >= 0 ? Math.sign(one.value.normal[axis.value]!) : 1
  section.shift((to - place.value) * along)
  answered.value++
}
const kinds = { plane: 'Plane', slab: 'Slab', quarter: 'Quarter', eighth: 'Eighth' } as const
const thickness = computed(() => {
  const shape = one.value.shape
  return shape && typeof shape === 'object' && 'slab' in shape ? shape.slab.thickness_mm : null
})
function setThickness(to: number) {
  section.setThickness(to)
  answered.value++
}
const fixedTo = (e: Event) => section.fixTo((e.target as HTMLSelectElement).value || null)
/** What a section can move with. */
const frames = computed(() =>
  [...cell.items.values()].filter((i) => i.role === 'frame' || i.id === one.value.fixed_to),
)
function keep() {
  naming.asked = { title: 'Name of the section', name: '', done: section.keep }
}
function throughPoints() {
  section.through = []
  where.asking = 'cut-points'
}
const whole = computed(() => section.cuts.uncut.size)
</script>

<template>
  <div class="cut" role="group" aria-label="Section">
    <button
      v-for="(_, i) in section.sections.length > 1 ? section.sections : []"
      :key="`s${i}`"
      class="number"
      :class="{ on: section.at === i }"
      :aria-pressed="section.at === i"
      :title="`Section ${i + 1}`"
      data-test="section-nth"
      @click="section.at = i"
    >
      {{ i + 1 }}
    </button>
    <span v-if="section.sections.length > 1" class="bar" />
    <button
      v-for="(name, i) in ['X', 'Y', 'Z']"
      :key="name"
      :class="{ on: axis === i }"
      :aria-pressed="axis === i"
      :title="`Cut square to ${name}`"
      @click="section.squareTo(i)"
    >
      {{ name }}
    </button>
    <UnitField
      :value="place"
      kind="length"
      label="Position of the cut"
      :digits="0"
      :answered="answered"
      steps
      data-test="section-at"
      @typed="setPlace"
    />
    {{ units.sign }}
    <template v-if="thickness !== null">
      <span class="soft">thick</span>
      <UnitField
        :value="thickness"
        kind="length"
        label="Thickness of the slab"
        :digits="0"
        :least="0.1"
        :answered="answered"
        data-test="section-thickness"
        @typed="setThickness"
      />
    </template>
    <button
      v-if="section.kind !== 'slab'"
      title="Take away the other side"
      data-test="section-flip"
      @click="section.flip"
    >
      Flip
    </button>
    <button
      :title="`The cut as a flat drawing (${keyOf('section-drawing')})`"
      :aria-pressed="drawing.open"
      data-test="section-draw"
      @click="drawing.toggle"
    >
      Drawing
    </button>
    <v-menu :close-on-content-click="false">
      <template #activator="{ props: menu }">
        <button
          v-bind="menu"
          title="Slab, corner, what it moves with, another section"
          aria-label="More of this section"
          data-test="section-more"
        >
          <v-icon :icon="mdiDotsHorizontal" size="16" />
        </button>
      </template>
      <v-list role="group" class="more">
        <v-list-item
          v-for="(name, id) in kinds"
          :key="id"
          role="button"
          :title="name"
          :active="section.kind === id"
          :data-test="`section-${id}`"
          @click="section.become(id)"
        />
        <label class="line"
          >Moves with
          <select
            :value="one.fixed_to ?? ''"
            aria-label="What the section moves with"
            data-test="section-fixed"
            @change="fixedTo"
          >
            <option value="">the world</option>
            <option v-for="f in frames" :key="f.id" :value="f.id">{{ f.name }}</option>
          </select></label
        >
        <v-divider />
        <v-list-item
          role="button"
          :title="`Another section (${keyOf('section-add')})`"
          data-test="section-add"
          @click="section.addNew"
        />
        <v-list-item
          role="button"
          title="This one, through a point"
          data-test="section-point"
          @click="where.asking = 'cut-point'"
        />
        <v-list-item
          role="button"
          title="Another, square to the view"
          data-test="section-along-view"
          @click="section.addAlongView"
        />
        <v-list-item
          role="button"
          title="Another, square to an edge or axis"
          data-test="section-along-edge"
          @click="where.asking = 'cut-edge'"
        />
        <v-list-item
          role="button"
          title="Another, through three points"
          data-test="section-through"
          @click="throughPoints"
        />
        <v-list-item
          v-if="section.sections.length > 1"
          role="button"
          title="Remove this section"
          data-test="section-remove"
          @click="section.remove(section.at)"
        />
        <v-divider />
        <v-list-item
          role="button"
          title="Keep this section…"
          data-test="section-keep"
          @click="keep"
        />
        <div v-for="k in section.kept" :key="k.id" class="line kept">
          <button
            :title="`Cut by ${k.name}, too`"
            data-test="section-kept"
            @click="section.add(k.section)"
          >
            {{ k.name }}
          </button>
          <button
            class="forget"
            :title="`Delete ${k.name}`"
            :aria-label="`Delete ${k.name}`"
            data-test="section-forget"
            @click="section.forgetKept(k.id)"
          >
            ×
          </button>
        </div>
        <v-divider />
        <v-list-item
          role="button"
          title="Cut the selection, or leave it whole"
          :disabled="!what.selected.size"
          data-test="section-uncut"
          @click="section.toggleUncut()"
        />
      </v-list>
    </v-menu>
    <!-- Its room is kept, so that nothing jumps away from the pointer when the number comes. -->
    <span class="soft number area" data-test="section-area" title="Area of all cut faces">{{
      section.faces ? units.area(section.faces.area_mm2) : ''
    }}</span>
    <span
      v-if="section.faces?.overlaps_complete === false"
      class="soft"
      title="Too many items meet in this cut: isolate those that matter"
      data-test="section-incomplete"
      >not all overlaps</span
    >
    <span v-if="whole" class="soft" data-test="section-whole">{{ whole }} left whole</span>
  </div>
</template>

<style scoped>
.cut {
  display: flex;
  gap: 8px;
  align-items: center;
  min-height: 26px;
  padding: 0 10px;
  border-radius: 13px;
  border: 1px solid var(--line);
  background: rgb(var(--v-theme-surface));
  color: rgb(var(--v-theme-on-surface));
}
.cut input {
  width: 74px;
  text-align: right;
  border-bottom: 1px solid var(--line);
}
.cut button {
  padding: 0 5px;
  border-radius: 4px;
}
.cut button.on {
  background: var(--accent-tint);
  color: var(--accent);
  font-weight: 700;
}
.area {
  min-width: 10ch;
}
.bar {
  width: 1px;
  height: 14px;
  background: var(--line);
}
.more .line {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 4px 16px;
  font-size: 13px;
}
.kept button:first-child {
  flex: 1;
  text-align: left;
}
.forget {
  color: var(--soft);
}
.more select {
  max-width: 150px;
}
</style>
