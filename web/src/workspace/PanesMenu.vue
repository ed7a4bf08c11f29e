<script setup lang="ts">
import { mdiChevronDown } from '@mdi/js'

import { useActions } from '../actions/actionsStore'
import { useKeys } from '../settings/bindings'
import { useSettings } from '../settings/settingsStore'
import PaneIcon from '../where/PaneIcon.vue'
import { type Layout, layouts } from '../where/panes'
import { useWhere } from '../where/whereStore'

const where = useWhere()
const settings = useSettings()
const { get } = useActions()
const keyOf = useKeys()
const panels = [
  ['roster', 'Roster'],
  ['findings', 'Findings'],
  ['path', 'Path'],
] as const
</script>

<template>
  <v-menu :close-on-content-click="false">
    <template #activator="{ props: menu }">
      <v-btn v-bind="menu" :append-icon="mdiChevronDown" title="Panes and panels" data-test="panes"
        >Panes</v-btn
      >
    </template>
    <v-list role="group">
      <v-list-item
        v-for="(l, id) in layouts"
        :key="id"
        role="button"
        :title="l.name"
        :active="where.layout === id"
        :data-test="`layout-${id}`"
        @click="where.setLayout(id as Layout)"
      >
        <template #prepend><PaneIcon :layout="id as Layout" /></template>
      </v-list-item>
      <v-list-item role="button" title="Enlarge, and back" @click="where.enlarge"
        ><template #append
          ><kbd>{{ keyOf('enlarge') }}</kbd></template
        ></v-list-item
      >
      <label class="tick"
        ><input v-model="settings.looking.linked" type="checkbox" data-test="linked" /> Panes move
        together</label
      >
      <v-divider />
      <label v-for="[id, name] in panels" :key="id" class="tick"
        ><input v-model="settings.panels[id]" type="checkbox" :data-test="`panel-${id}`" />
        {{ name }}</label
      >
      <v-list-item
        role="button"
        title="Standard arrangement"
        data-test="standard-panels"
        @click="get('standard-panels').run()"
      />
    </v-list>
  </v-menu>
</template>
