<script setup lang="ts">
import { mdiChevronRight } from '@mdi/js'

/**
 * A row of a menu that unfolds into more: by pointing at it, or by a click where nothing can be
 * pointed at. One of its neighbours at a time.
 */
const props = defineProps<{ id: string; name: string }>()
/** The one that is unfolded. */
const opened = defineModel<string | null>({ required: true })
function turned(open: boolean) {
  if (open) opened.value = props.id
  else if (opened.value === props.id) opened.value = null
}
</script>

<template>
  <v-menu
    :model-value="opened === id"
    submenu
    open-on-hover
    :open-on-click="false"
    location="end"
    @update:model-value="turned"
  >
    <template #activator="{ props: row }">
      <v-list-item
        v-bind="row"
        role="menuitem"
        :title="name"
        :append-icon="mdiChevronRight"
        :data-test="`menu-${id}`"
        @click.stop="opened = id"
      />
    </template>
    <v-list role="menu" :aria-label="name" max-height="70vh"><slot /></v-list>
  </v-menu>
</template>
