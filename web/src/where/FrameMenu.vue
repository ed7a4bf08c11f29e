<script setup lang="ts">
import { mdiChevronDown } from '@mdi/js'

import { useSettings } from '../settings/settingsStore'

defineProps<{ larger: string; smaller: string }>()
const settings = useSettings()
const kinds = {
  world: 'World',
  base: 'Base',
  flange: 'Flange',
  tcp: 'TCP',
  target: 'Target',
  frame: 'Other frames',
}
function size(by: number) {
  settings.furniture.frameSize = Math.min(160, Math.max(10, settings.furniture.frameSize * by))
}
</script>

<template>
  <v-menu :close-on-content-click="false">
    <template #activator="{ props: menu }">
      <v-btn
        v-bind="menu"
        :append-icon="mdiChevronDown"
        title="Which frames are marked, and how large"
        data-test="frames"
        >Frames</v-btn
      >
    </template>
    <v-list role="group">
      <label v-for="(name, kind) in kinds" :key="kind" class="tick"
        ><input
          v-model="settings.furniture.kinds"
          type="checkbox"
          :value="kind"
          :data-test="`frames-${kind}`"
        />
        {{ name }}</label
      >
      <v-divider />
      <v-list-item role="button" title="Larger" data-test="frames-larger" @click="size(1.25)"
        ><template #append
          ><kbd>{{ larger }}</kbd></template
        ></v-list-item
      >
      <v-list-item role="button" title="Smaller" @click="size(0.8)"
        ><template #append
          ><kbd>{{ smaller }}</kbd></template
        ></v-list-item
      >
    </v-list>
  </v-menu>
</template>
