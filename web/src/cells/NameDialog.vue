<script setup lang="ts">
import { useViews } from '../where/viewsStore'

const views = useViews()
function named() {
  const asked = views.naming
  views.naming = null
  if (asked?.name.trim()) void asked.done(asked.name.trim())
}
</script>

<template>
  <v-dialog :model-value="!!views.naming" max-width="380" @update:model-value="views.naming = null">
    <v-card v-if="views.naming" :title="views.naming.title">
      <v-card-text><v-text-field v-model="views.naming.name" autofocus label="Name" data-test="name" @focus="($event.target as HTMLInputElement).select()" @keydown.enter="named" /></v-card-text>
      <v-card-actions><v-spacer /><v-btn @click="views.naming = null">Cancel</v-btn><v-btn color="primary" data-test="name-ok" @click="named">Save</v-btn></v-card-actions>
    </v-card>
  </v-dialog>
</template>
