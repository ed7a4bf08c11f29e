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
import { computed } from 'vue'

import { type Action, styleNames } from '../actions/actionsStore'
import { readable } from '../settings/bindings'
import type { Style } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useSection } from '../where/sectionStore'
import { useSettings } from '../settings/settingsStore'
import FrameMenu from '../where/FrameMenu.vue'
import LensMenu from '../where/LensMenu.vue'
import PaneIcon from '../where/PaneIcon.vue'
import ViewsMenu from './ViewsMenu.vue'
import { layouts, useWhere, type Layout } from '../where/whereStore'

const props = defineProps<{ actions: Action[] }>()
defineEmits<{ leave: [] }>()
const cell = useCell()
const where = useWhere()
const section = useSection()
const settings = useSettings()

const action = (id: string) => props.actions.find((a) => a.id === id)
const hint = (id: string) => {
  const a = action(id)
  return a ? `${a.name}${a.key ? ` (${readable(a.key)})` : ''}` : ''
}
const key = (id: string) => readable(action(id)?.key ?? '')
const run = (id: string) => void action(id)?.run()

const standingIn = computed(() =>
  where.standing && where.standing.off < 0.005 ? where.standing.s.id : null,
)
const faces = computed(() => where.standardViews.slice(0, 6))
const corners = computed(() => where.standardViews.slice(6))
const corner = computed(() => corners.value.find((v) => v.id === standingIn.value))
const shortStyles: Record<Style, string> = {
  shaded_edges: 'Edges',
  shaded: 'Shaded',
  hidden_dashed: 'Dashed',
  hidden_removed: 'Lines',
  wireframe: 'Wire',
}
const panels = [
  ['roster', 'Roster'],
  ['findings', 'Findings'],
  ['path', 'Path'],
] as const
</script>

<template>
  <header class="bar" role="toolbar" aria-label="View">
    <button class="brand" title="All cells" @click="$emit('leave')">Selvik</button>
    <v-menu>
      <template #activator="{ props: menu }">
        <button v-bind="menu" class="cell" :title="cell.cell?.document.name">
          {{ cell.cell?.document.name }}<v-icon :icon="mdiChevronDown" size="14" />
        </button>
      </template>
      <v-list>
        <v-list-item title="All cells" @click="$emit('leave')" />
        <v-list-item title="Export as a package" :href="`/api/cells/${cell.cell?.id}/package`" />
        <v-list-item title="Export a picture…" data-test="export-picture" @click="run('picture')" />
      </v-list>
    </v-menu>
    <i />
    <div class="group">
      <v-btn
        v-for="view in faces"
        :key="view.id"
        :active="standingIn === view.id"
        :title="hint(`view-${view.id}`)"
        :data-test="`view-${view.id}`"
        @click="where.standard(view.id)"
        >{{ view.name }}</v-btn
      >
      <v-menu>
        <template #activator="{ props: menu }">
          <v-btn
            v-bind="menu"
            :append-icon="mdiChevronDown"
            :active="!!corner"
            :title="corner?.name ?? 'Corner views'"
            data-test="corners"
            >Corner</v-btn
          >
        </template>
        <v-list>
          <v-list-item
            v-for="view in corners"
            :key="view.id"
            :title="view.name"
            :active="standingIn === view.id"
            :data-test="`view-${view.id}`"
            @click="where.standard(view.id)"
          >
            <template #append
              ><kbd>{{ key(`view-${view.id}`) }}</kbd></template
            >
          </v-list-item>
          <v-divider />
          <v-list-item title="Opposite" data-test="opposite" @click="run('opposite')"
            ><template #append
              ><kbd>{{ key('opposite') }}</kbd></template
            ></v-list-item
          >
        </v-list>
      </v-menu>
    </div>
    <i />
    <LensMenu />
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
      <v-list>
        <v-list-item
          v-for="(name, id) in styleNames"
          :key="id"
          :title="name"
          :active="where.style === id"
          :data-test="`style-${id}`"
          @click="where.style = id"
        />
        <v-divider />
        <v-list-item
          title="Colours by role"
          :active="where.colours === 'role'"
          @click="where.colours = 'role'"
        />
        <v-list-item
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
          ><input v-model="settings.furniture.shadow" type="checkbox" data-test="shadow" /> Shadow
          on the ground</label
        >
        <label class="tick"
          ><input v-model="settings.looking.ghostRest" type="checkbox" /> Isolating ghosts the
          rest</label
        >
      </v-list>
    </v-menu>
    <FrameMenu :larger="key('frames-larger')" :smaller="key('frames-smaller')" />
    <v-btn
      :active="!!section.section"
      :title="hint('section')"
      data-test="section"
      @click="section.toggle"
      >Section</v-btn
    >
    <v-menu :close-on-content-click="false">
      <template #activator="{ props: menu }">
        <v-btn
          v-bind="menu"
          :append-icon="mdiChevronDown"
          title="Panes and panels"
          data-test="panes"
          >Panes</v-btn
        >
      </template>
      <v-list>
        <v-list-item
          v-for="(l, id) in layouts"
          :key="id"
          :title="l.name"
          :active="where.layout === id"
          :data-test="`layout-${id}`"
          @click="where.setLayout(id as Layout)"
        >
          <template #prepend><PaneIcon :layout="id as Layout" /></template>
        </v-list-item>
        <v-list-item title="Enlarge, and back" @click="where.enlarge"
          ><template #append
            ><kbd>{{ key('enlarge') }}</kbd></template
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
          title="Standard arrangement"
          data-test="standard-panels"
          @click="run('standard-panels')"
        />
      </v-list>
    </v-menu>
    <ViewsMenu :actions="actions" />
    <span class="grow" />
    <div class="group">
      <v-btn
        :icon="mdiArrowLeft"
        :disabled="!where.back.length"
        :title="hint('view-back')"
        aria-label="View back"
        data-test="view-back"
        @click="where.goBack"
      />
      <v-btn
        :icon="mdiArrowRight"
        :disabled="!where.forward.length"
        :title="hint('view-forward')"
        aria-label="View forward"
        @click="where.goForward"
      />
    </div>
    <div class="group">
      <v-btn
        :icon="mdiUndo"
        :disabled="!cell.cell?.undo"
        :title="hint('undo')"
        aria-label="Undo"
        data-test="undo"
        @click="run('undo')"
      />
      <v-btn
        :icon="mdiRedo"
        :disabled="!cell.cell?.redo"
        :title="hint('redo')"
        aria-label="Redo"
        data-test="redo"
        @click="run('redo')"
      />
    </div>
    <v-btn
      :icon="mdiThemeLightDark"
      title="Light or dark"
      aria-label="Light or dark"
      data-test="theme"
      @click="settings.toggleDark()"
    />
    <v-btn
      :icon="mdiCogOutline"
      :title="hint('settings')"
      aria-label="Settings"
      data-test="settings"
      @click="run('settings')"
    />
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
  max-width: 110px;
  font-weight: 650;
  overflow: hidden;
  text-overflow: ellipsis;
  flex: 0 1 auto;
}
i {
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
  flex: 1;
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
