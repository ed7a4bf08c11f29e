<script setup lang="ts">
import { useActions } from '../actions/actionsStore'
import { useKeys } from '../settings/bindings'

/** Rows of a menu: actions by their ids, with their keys. */
defineProps<{ ids: string[] }>()
const emit = defineEmits<{ run: [action: () => unknown] }>()
const keyOf = useKeys()
const { get: action } = useActions()
</script>

<template>
  <v-list-item
    v-for="id in ids"
    :key="id"
    role="menuitem"
    :title="action(id).name"
    :disabled="action(id).enabled?.() === false"
    :data-test="`menu-${id}`"
    @click="emit('run', action(id).run)"
  >
    <template #append
      ><kbd>{{ keyOf(id) }}</kbd></template
    >
  </v-list-item>
</template>
