<script setup lang="ts">
import { computed, ref } from 'vue'

import { useActions } from '../actions/actionsStore'
import { useCell } from '../cell/cellStore'
import { withPivot } from '../scene/navigation'
import type { Hit } from '../scene/picking'
import { useWhat } from '../what/whatStore'
import { useSection } from '../where/sectionStore'
import { useWhere } from '../where/whereStore'
import ActionItems from './ActionItems.vue'
import SubMenu from './SubMenu.vue'

const props = defineProps<{ x: number; y: number; hits: Hit[] }>()
const emit = defineEmits<{ close: [] }>()
const cell = useCell()
const what = useWhat()
const section = useSection()
const where = useWhere()
const { get: action } = useActions()

const names = computed(() => {
  const items = [...new Set(props.hits.map((h) => h.item))]
  return items.slice(0, 8).map((id) => ({ id, name: cell.items.get(id)?.name ?? id }))
})
const first = computed(() => names.value[0])
/** Whether it was opened on a face, and not in the roster or on a frame. */
const onFace = computed(() => props.hits[0]?.body !== undefined)

/** What one does most with a thing. */
const most = ['fit-selection', 'isolate', 'hide', 'handles-move', 'rename', 'delete']
/** All else, by what it is about. */
const groups = [
  {
    id: 'show',
    name: 'Show',
    does: ['isolate-ghosted', 'isolate-alone', 'ghost', 'new-set', 'section-uncut'],
  },
  {
    id: 'place',
    name: 'Place',
    does: [
      'handles-turn',
      'drop',
      'snap-point',
      'snap-face',
      'snap-axis',
      'turn-about',
      'detach',
      'lock',
    ],
  },
  { id: 'edit', name: 'Edit', does: ['duplicate', 'group', 'ungroup', 'export-urdf'] },
  {
    id: 'frames',
    name: 'Frames',
    does: [
      'frame-of-selection',
      'use-frame',
      'new-frame',
      'new-tcp',
      'frame-face',
      'frame-axis',
      'frame-points',
    ],
  },
  {
    id: 'select',
    name: 'Select',
    does: ['select-children', 'select-parent', 'select-role', 'select-mesh'],
  },
]
const elsewhere = ['fit-all', 'show-all', 'stand']
const views = computed(() => [
  'opposite',
  'level',
  'fit-rectangle',
  ...where.standardViews.slice(0, 6).map((view) => `view-${view.id}`),
])
const can = (id: string) => action(id).enabled?.() ?? true
/** Which group is unfolded. */
const opened = ref<string | null>(null)
function run(what: () => unknown) {
  emit('close')
  void what()
}
const pivotHere = () => where.change(withPivot(where.viewpoint, props.hits[0]!.at))
const cutAlong = () => {
  const { at, normal } = props.hits[0]!
  section.addAlong(at, normal!)
}
const faceOn = () => where.faceOn(props.hits[0]!.body!, props.hits[0]!.triangle!)
</script>

<template>
  <v-menu
    :model-value="true"
    :target="[x, y]"
    location="bottom start"
    @update:model-value="(open: boolean) => open || emit('close')"
  >
    <v-list
      role="menu"
      data-test="context-menu"
      min-width="230"
      :aria-label="first?.name ?? 'The picture'"
    >
      <template v-if="first">
        <v-list-subheader>{{ first.name }}</v-list-subheader>
        <ActionItems :ids="most" @run="run" />
        <template v-if="onFace">
          <v-list-item
            role="menuitem"
            title="Look at this face square on"
            data-test="menu-face-on"
            @click="run(faceOn)"
          />
          <v-list-item
            role="menuitem"
            title="Cut along this face"
            data-test="menu-cut"
            @click="run(cutAlong)"
          />
          <v-list-item
            role="menuitem"
            title="Turn about this point"
            data-test="menu-pivot"
            @click="run(pivotHere)"
          />
        </template>
        <v-divider />
        <SubMenu
          v-for="group in groups"
          :id="group.id"
          :key="group.id"
          v-model="opened"
          :name="group.name"
        >
          <ActionItems :ids="group.does.filter(can)" @run="run" />
        </SubMenu>
        <SubMenu v-if="names.length > 1" id="also" v-model="opened" name="Also under the pointer">
          <v-list-item
            v-for="other in names.slice(1)"
            :key="other.id"
            role="menuitem"
            :title="other.name"
            :data-test="`also-${other.id}`"
            @mouseenter="what.hovered = other.id"
            @click="run(() => what.select(other.id))"
          />
        </SubMenu>
        <v-divider />
      </template>
      <ActionItems :ids="elsewhere" @run="run" />
      <SubMenu id="look" v-model="opened" name="Look">
        <ActionItems :ids="views" @run="run" />
      </SubMenu>
    </v-list>
  </v-menu>
</template>
