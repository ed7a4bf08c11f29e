<script setup lang="ts">
import { computed, ref } from 'vue'

import { useViews } from '../where/viewsStore'

const views = useViews()
/**
 * A menu that opened this takes the focus back as it closes: it is claimed once the dialog stands.
 */
const field = ref<{ focus: () => void }>()
const missing = computed(
  () => !!views.naming && !views.naming.optional && !views.naming.name.trim(),
)
function named() {
  const asked = views.naming
  if (!asked || missing.value) return
  views.naming = null
  void asked.done(asked.name.trim())
}
</script>

<template>
  <v-dialog
    :model-value="!!views.naming"
    max-width="380"
    @after-enter="field?.focus()"
    @update:model-value="views.naming = null"
  >
    <v-card v-if="views.naming" :title="views.naming.title">
      <v-card-text
        ><v-text-field
          ref="field"
          v-model="views.naming.name"
          autofocus
          label="Name"
          :error-messages="missing ? 'It needs a name.' : []"
          data-test="name"
          @focus="($event.target as HTMLInputElement).select()"
          @keydown.enter="named"
      /></v-card-text>
      <v-card-actions
        ><v-spacer /><v-btn @click="views.naming = null">Cancel</v-btn
        ><v-btn color="primary" data-test="name-ok" :disabled="missing" @click="named"
          >Save</v-btn
        ></v-card-actions
      >
    </v-card>
  </v-dialog>
</template>
