<script setup lang="ts">
import { mdiChevronDown } from '@mdi/js'

import type { Style } from '../api/client'
import { useSettings } from '../settings/settingsStore'
import { styleNames } from '../where/panes'
import { useWhere } from '../where/whereStore'

const where = useWhere()
const settings = useSettings()
const shortStyles: Record<Style, string> = {
  shaded_edges: 'Edges',
  shaded: 'Shaded',
  hidden_dashed: 'Dashed',
  hidden_removed: 'Lines',
  wireframe: 'Wire',
}
</script>

<template>
  <v-menu :close-on-content-click="false">
    <template #activator="{ props: menu }">
      <v-btn
        v-bind="menu"
        :append-icon="mdiChevronDown"
        :title="`Drawing style: ${styleNames[where.style].toLowerCase()}`"
        data-test="style"
        >{{ shortStyles[where.style] }}</v-btn
      >
    </template>
    <v-list role="group">
      <v-list-item
        v-for="(name, id) in styleNames"
        :key="id"
        role="button"
        :title="name"
        :active="where.style === id"
        :data-test="`style-${id}`"
        @click="where.style = id"
      />
      <v-divider />
      <v-list-item
        role="button"
        title="Colours by role"
        :active="where.colours === 'role'"
        @click="where.colours = 'role'"
      />
      <v-list-item
        role="button"
        title="Own colours"
        :active="where.colours === 'own'"
        data-test="own-colours"
        @click="where.colours = 'own'"
      />
      <v-divider />
      <label class="tick"
        ><input v-model="settings.furniture.grid" type="checkbox" data-test="grid" /> Grid</label
      >
      <label class="tick"
        ><input v-model="settings.furniture.shadow" type="checkbox" data-test="shadow" /> Shadow on
        the ground</label
      >
      <label class="tick"
        ><input v-model="settings.looking.ghostRest" type="checkbox" /> Isolating ghosts the
        rest</label
      >
    </v-list>
  </v-menu>
</template>
