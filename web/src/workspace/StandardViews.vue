<script setup lang="ts">
import { mdiChevronDown } from '@mdi/js'
import { computed } from 'vue'

import { useActions } from '../actions/actionsStore'
import { useKeys } from '../settings/bindings'
import { useWhere } from '../where/whereStore'

/** The standard views: side by side, or folded into one menu where there is no room. */
const props = defineProps<{ folded: boolean }>()
const where = useWhere()
const { get } = useActions()
const keyOf = useKeys()
const hint = (id: string) => {
  const key = keyOf(id)
  return `${get(id).name}${key ? ` (${key})` : ''}`
}

const standingIn = computed(() =>
  where.standing && where.standing.off < 0.005 ? where.standing.s.id : null,
)
const faces = computed(() => where.standardViews.slice(0, 6))
const corners = computed(() => where.standardViews.slice(6))
const listed = computed(() => (props.folded ? where.standardViews : corners.value))
const current = computed(() => listed.value.find((v) => v.id === standingIn.value))
const menuName = computed(() => (props.folded ? (current.value?.name ?? 'From') : 'Corner'))
</script>

<template>
  <div class="group">
    <template v-if="!folded">
      <v-btn
        v-for="view in faces"
        :key="view.id"
        :active="standingIn === view.id"
        :title="hint(`view-${view.id}`)"
        :data-test="`view-${view.id}`"
        @click="where.standard(view.id)"
        >{{ view.name }}</v-btn
      >
    </template>
    <v-menu>
      <template #activator="{ props: menu }">
        <v-btn
          v-bind="menu"
          :append-icon="mdiChevronDown"
          :active="!!current"
          :title="current?.name ?? (folded ? 'Standard views' : 'Corner views')"
          data-test="corners"
          >{{ menuName }}</v-btn
        >
      </template>
      <v-list role="menu">
        <v-list-item
          v-for="view in listed"
          :key="view.id"
          role="menuitem"
          :title="view.name"
          :active="standingIn === view.id"
          :data-test="`view-${view.id}`"
          @click="where.standard(view.id)"
        >
          <template #append
            ><kbd>{{ keyOf(`view-${view.id}`) }}</kbd></template
          >
        </v-list-item>
        <v-divider />
        <v-list-item
          role="menuitem"
          title="Opposite"
          data-test="opposite"
          @click="get('opposite').run()"
          ><template #append
            ><kbd>{{ keyOf('opposite') }}</kbd></template
          ></v-list-item
        >
      </v-list>
    </v-menu>
  </div>
</template>

<style scoped>
.group {
  display: flex;
  flex: none;
}
</style>
