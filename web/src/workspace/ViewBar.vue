<script setup lang="ts">
import {
  mdiArrowLeft,
  mdiArrowRight,
  mdiChevronDown,
  mdiCogOutline,
  mdiRedo,
  mdiThemeLightDark,
  mdiUndo,
} from '@mdi/js'
import { useElementSize } from '@vueuse/core'
import { ref } from 'vue'

import type { Action } from '../actions/action'
import { useCell } from '../cell/cellStore'
import { readable } from '../settings/bindings'
import FrameMenu from '../where/FrameMenu.vue'
import LensMenu from '../where/LensMenu.vue'
import { useSection } from '../where/sectionStore'
import PanesMenu from './PanesMenu.vue'
import StandardViews from './StandardViews.vue'
import StyleMenu from './StyleMenu.vue'
import ViewsMenu from './ViewsMenu.vue'

const props = defineProps<{ actions: Action[] }>()
defineEmits<{ leave: [] }>()
const cell = useCell()
const section = useSection()

/** Narrower than this (pixels) the standard views fold into a menu. */
const FOLDS_BELOW = 1200
const bar = ref<HTMLElement>()
const { width } = useElementSize(bar, { width: innerWidth, height: 0 })

/** By the actions they do. */
const buttons = [
  [
    { id: 'view-back', icon: mdiArrowLeft },
    { id: 'view-forward', icon: mdiArrowRight },
  ],
  [
    { id: 'undo', icon: mdiUndo },
    { id: 'redo', icon: mdiRedo },
  ],
  [
    { id: 'theme', icon: mdiThemeLightDark },
    { id: 'settings', icon: mdiCogOutline },
  ],
]
const action = (id: string) => props.actions.find((a) => a.id === id)
const hint = (id: string) => {
  const a = action(id)
  return a ? `${a.name}${a.key ? ` (${readable(a.key)})` : ''}` : ''
}
const key = (id: string) => readable(action(id)?.key ?? '')
const run = (id: string) => void action(id)?.run()
</script>

<template>
  <header ref="bar" class="bar">
    <button class="brand" title="All cells" @click="$emit('leave')">Selvik</button>
    <v-menu>
      <template #activator="{ props: menu }">
        <button v-bind="menu" class="cell" :title="cell.cell?.document.name">
          {{ cell.cell?.document.name }}<v-icon :icon="mdiChevronDown" size="14" />
        </button>
      </template>
      <v-list role="menu">
        <v-list-item role="menuitem" title="All cells" @click="$emit('leave')" />
        <v-list-item
          role="menuitem"
          title="Export as a package"
          :href="`/api/cells/${cell.cell?.id}/package`"
        />
        <v-list-item
          role="menuitem"
          title="Export a picture…"
          data-test="export-picture"
          @click="run('picture')"
        />
      </v-list>
    </v-menu>
    <i />
    <StandardViews :folded="width < FOLDS_BELOW" />
    <i />
    <LensMenu />
    <StyleMenu />
    <FrameMenu :larger="key('frames-larger')" :smaller="key('frames-smaller')" />
    <v-btn
      :active="!!section.sections.length"
      :title="hint('section')"
      data-test="section"
      @click="section.toggle"
      >Section</v-btn
    >
    <PanesMenu />
    <ViewsMenu :actions="actions" />
    <span class="grow" />
    <div v-for="(group, i) in buttons" :key="i" class="group">
      <v-btn
        v-for="{ id, icon } in group"
        :key="id"
        :icon="icon"
        :disabled="action(id)?.enabled?.() === false"
        :title="hint(id)"
        :aria-label="action(id)?.name"
        :data-test="id"
        @click="run(id)"
      />
    </div>
    <button class="search" :title="hint('find')" @click="run('find')">Find…</button>
  </header>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 2px;
  padding: 0 10px;
  background: rgb(var(--v-theme-surface));
  white-space: nowrap;
  overflow: hidden;
}
.brand {
  font-weight: 750;
  font-size: 17px;
  color: var(--accent);
  margin-right: 6px;
}
.cell {
  min-width: 60px;
  font-weight: 650;
  overflow: hidden;
  text-overflow: ellipsis;
  flex: 0 1 auto;
}
.bar > i {
  width: 1px;
  height: 22px;
  background: var(--line);
  margin: 0 3px;
  flex: none;
}
.group {
  display: flex;
  flex: none;
}
.bar :deep(.v-btn) {
  padding-inline: 5px !important;
  flex: none;
}
.v-btn--active {
  color: var(--accent);
  font-weight: 700;
}
.grow {
  flex: 1 0 4px;
}
.search {
  border: 1px solid var(--line);
  border-radius: 6px;
  padding: 4px 8px;
  color: var(--soft);
  flex: none;
}
.bar :deep(.v-btn--icon) {
  width: 27px;
  height: 28px;
  padding: 0 !important;
}
.bar :deep(.v-btn__append) {
  margin-inline: 0 -3px;
}
</style>
