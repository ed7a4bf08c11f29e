<script setup lang="ts">
import { mdiContentCopy, mdiDeleteOutline, mdiDownload, mdiPencilOutline } from '@mdi/js'

import type { Schemas } from '../api/client'

/** What can be done with a cell of the list. */
defineProps<{
  cell: Schemas['CellLine']
  /** Below it the menu opens. */
  target: HTMLElement
}>()
const emit = defineEmits<{ close: []; rename: []; duplicate: []; bin: [] }>()
</script>

<template>
  <v-menu
    :model-value="true"
    :target="target"
    location="bottom end"
    @update:model-value="(open: boolean) => open || emit('close')"
  >
    <v-list role="menu">
      <v-list-item
        role="menuitem"
        title="Rename"
        :prepend-icon="mdiPencilOutline"
        data-test="cell-rename"
        @click="emit('rename')"
      />
      <v-list-item
        role="menuitem"
        title="Duplicate"
        :prepend-icon="mdiContentCopy"
        data-test="cell-duplicate"
        @click="emit('duplicate')"
      />
      <v-list-item
        role="menuitem"
        title="Export as a package"
        :prepend-icon="mdiDownload"
        :href="`/api/cells/${cell.id}/package`"
      />
      <v-list-item
        role="menuitem"
        title="Into the bin"
        :prepend-icon="mdiDeleteOutline"
        data-test="cell-bin"
        @click="emit('bin')"
      />
    </v-list>
  </v-menu>
</template>
