<script setup lang="ts">
import { mdiChevronRight } from '@mdi/js'
import { computed } from 'vue'

import { useActions } from '../actions/actionsStore'
import { readable } from '../settings/bindings'
import { useCell } from '../cell/cellStore'
import type { Hit } from '../scene/picking'
import { useWhat } from '../what/whatStore'
import { withPivot } from '../scene/navigation'
import { useWhere } from '../where/whereStore'

const props = defineProps<{ x: number; y: number; hits: Hit[] }>()
const emit = defineEmits<{ close: [] }>()
const cell = useCell()
const what = useWhat()
const where = useWhere()
const { get: action } = useActions()

const names = computed(() => {
  const items = [...new Set(props.hits.map((h) => h.item))]
  return items.slice(0, 8).map((id) => ({ id, name: cell.items.get(id)?.name ?? id }))
})
const first = computed(() => names.value[0])
const onThing = [
  'fit-selection',
  'isolate',
  'isolate-ghosted',
  'hide',
  'frame-of-selection',
  'handles-move',
  'handles-turn',
  'rename',
  'duplicate',
  'lock',
  'delete',
]
const further = [
  'drop',
  'snap-point',
  'snap-face',
  'snap-axis',
  'turn-about',
  'group',
  'ungroup',
  'detach',
  'new-frame',
  'new-tcp',
  'frame-face',
  'frame-axis',
  'frame-points',
  'use-frame',
  'new-set',
  'ghost',
  'select-children',
  'select-parent',
  'select-role',
  'select-mesh',
  'export-urdf',
]
const elsewhere = ['fit-all', 'show-all', 'opposite', 'level', 'stand', 'fit-rectangle']
function run(what: () => unknown) {
  emit('close')
  void what()
}
const pivotHere = () => where.change(withPivot(where.viewpoint, props.hits[0]!.at))
const faceOn = () => where.faceOn(props.hits[0]!.body!, props.hits[0]!.triangle!)
</script>

<template>
  <v-menu
    :model-value="true"
    :target="[x, y]"
    location="bottom start"
    @update:model-value="(open: boolean) => open || emit('close')"
  >
    <v-list data-test="context-menu" min-width="230">
      <template v-if="first">
        <v-list-subheader>{{ first.name }}</v-list-subheader>
        <v-list-item
          v-for="id in onThing"
          :key="id"
          :title="action(id).name"
          :disabled="action(id).enabled?.() === false"
          :data-test="`menu-${id}`"
          @click="run(action(id).run)"
        >
          <template v-if="action(id).key" #append
            ><kbd>{{ readable(action(id).key!) }}</kbd></template
          >
        </v-list-item>
        <v-list-item
          v-if="hits[0]!.body !== undefined"
          title="Look at this face square on"
          data-test="menu-face-on"
          @click="run(faceOn)"
        />
        <v-list-item
          v-if="hits[0]!.body !== undefined"
          title="Turn about this point"
          data-test="menu-pivot"
          @click="run(pivotHere)"
        />
        <v-menu submenu open-on-hover location="end">
          <template #activator="{ props: more }"
            ><v-list-item
              v-bind="more"
              title="More"
              :append-icon="mdiChevronRight"
              data-test="menu-more"
          /></template>
          <v-list max-height="70vh"
            ><v-list-item
              v-for="id in further.filter((f) => action(f).enabled?.() ?? true)"
              :key="id"
              :title="action(id).name"
              :data-test="`menu-${id}`"
              @click="run(action(id).run)"
              ><template v-if="action(id).key" #append
                ><kbd>{{ readable(action(id).key!) }}</kbd></template
              ></v-list-item
            ></v-list
          >
        </v-menu>
        <template v-if="names.length > 1">
          <v-divider /><v-list-subheader>Also under the pointer</v-list-subheader>
          <v-list-item
            v-for="other in names.slice(1)"
            :key="other.id"
            :title="other.name"
            :data-test="`also-${other.id}`"
            @mouseenter="what.hovered = other.id"
            @click="run(() => what.select(other.id))"
          />
        </template>
        <v-divider />
      </template>
      <v-list-item
        v-for="id in elsewhere"
        :key="id"
        :title="action(id).name"
        :data-test="`menu-${id}`"
        @click="run(action(id).run)"
      >
        <template v-if="action(id).key" #append
          ><kbd>{{ readable(action(id).key!) }}</kbd></template
        >
      </v-list-item>
      <v-divider />
      <div class="views">
        <button
          v-for="view in where.standardViews.slice(0, 6)"
          :key="view.id"
          @click="run(() => where.standard(view.id))"
        >
          {{ view.name }}
        </button>
      </div>
    </v-list>
  </v-menu>
</template>

<style scoped>
.views {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  padding: 4px 12px;
}
.views button {
  padding: 3px;
  border-radius: 4px;
}
.views button:hover {
  background: var(--accent-tint);
}
</style>
