<script setup lang="ts">
import { computed } from 'vue'

import { toLikely } from '../cell/likely'
import { useNaming } from '../cell/namingStore'

const naming = useNaming()
const missing = computed(
  () => !!naming.asked && !naming.asked.optional && !naming.asked.name.trim(),
)
function named() {
  const asked = naming.asked
  if (!asked || missing.value) return
  naming.asked = null
  void asked.done(asked.name.trim())
}
</script>

<template>
  <v-dialog
    :model-value="!!naming.asked"
    max-width="380"
    :aria-label="naming.asked?.title ?? 'Name'"
    @after-enter="toLikely"
    @update:model-value="naming.asked = null"
  >
    <v-card v-if="naming.asked" :title="naming.asked.title">
      <v-card-text
        ><v-text-field
          v-model="naming.asked.name"
          autofocus
          label="Name"
          :error-messages="missing ? 'It needs a name.' : []"
          data-test="name"
          @focus="($event.target as HTMLInputElement).select()"
          @keydown.enter="named"
      /></v-card-text>
      <v-card-actions
        ><v-spacer /><v-btn @click="naming.asked = null">Cancel</v-btn
        ><v-btn color="primary" data-test="name-ok" :disabled="missing" @click="named"
          >Save</v-btn
        ></v-card-actions
      >
    </v-card>
  </v-dialog>
</template>
