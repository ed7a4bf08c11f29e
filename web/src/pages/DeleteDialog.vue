<script setup lang="ts">
/** Asks before a cell is gone for good. */
defineProps<{ name: string }>()
const emit = defineEmits<{ keep: []; remove: [] }>()
</script>

<template>
  <v-dialog
    :model-value="true"
    max-width="420"
    aria-label="Delete for good"
    @update:model-value="emit('keep')"
  >
    <v-card
      title="Delete this cell for good?"
      :text="`“${name}” goes with its views, findings and history. This can't be undone.`"
    >
      <v-card-actions>
        <v-spacer /><v-btn @click="emit('keep')">Keep it</v-btn
        ><v-btn color="error" data-test="delete-for-good" @click="emit('remove')">Delete</v-btn>
      </v-card-actions>
    </v-card>
  </v-dialog>
</template>
