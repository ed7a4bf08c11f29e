<script setup lang="ts">
import { mdiArrowLeft, mdiArrowRight, mdiChevronDown, mdiRedo, mdiThemeLightDark, mdiUndo } from '@mdi/js'
import { computed, ref } from 'vue'

import { type Action, readable } from '../actions'
import type { SavedView, Style } from '../api/client'
import { useCell } from '../cells/cellStore'
import { useSettings } from '../settings/settingsStore'
import { halfAngle } from './navigation'
import { useWhere } from './whereStore'

const props = defineProps<{ actions: Action[] }>()
defineEmits<{ leave: [] }>()
const cell = useCell()
const where = useWhere()
const settings = useSettings()

const action = (id: string) => props.actions.find((a) => a.id === id)
const hint = (id: string) => {
  const a = action(id)
  return a ? `${a.name}${a.key ? ` (${readable(a.key)})` : ''}` : ''
}
const run = (id: string) => void action(id)?.run()

const standingIn = computed(() => (where.standing && where.standing.off < 0.005 ? where.standing.s.id : null))
const faces = computed(() => where.standardViews.slice(0, 6))
const corners = computed(() => where.standardViews.slice(6))
const corner = computed(() => corners.value.find((v) => v.id === standingIn.value))
const degrees = computed(() => ((2 * halfAngle(where.viewpoint.lens_mm) * 180) / Math.PI).toFixed(0))
const projection = computed(() => (where.viewpoint.projection === 'parallel' ? 'Parallel' : `Perspective ${where.viewpoint.lens_mm.toFixed(0)} mm`))
const lenses = [18, 24, 35, 50, 85]
const styles: Record<Style, string> = {
  shaded_edges: 'Shaded, edges', shaded: 'Shaded', hidden_removed: 'Hidden removed', wireframe: 'Wireframe',
}

const naming = ref<{ title: string; name: string; done: (name: string) => unknown } | null>(null)
function keep() {
  naming.value = { title: 'Save this view as', name: `View ${where.views.length + 1}`, done: where.saveView }
}
function rename(view: SavedView) {
  naming.value = { title: 'Rename view', name: view.name, done: (name) => where.renameView(view, name) }
}
function named() {
  const n = naming.value
  naming.value = null
  if (n?.name.trim()) void n.done(n.name.trim())
}
</script>

<template>
  <header class="bar" role="toolbar" aria-label="View">
    <button class="brand" title="All cells" @click="$emit('leave')">Selvik</button>
    <v-menu>
      <template #activator="{ props: menu }">
        <button v-bind="menu" class="cell" :title="cell.cell?.document.name">{{ cell.cell?.document.name }}<v-icon :icon="mdiChevronDown" size="14" /></button>
      </template>
      <v-list>
        <v-list-item title="All cells" @click="$emit('leave')" />
        <v-list-item title="Export as a package" :href="`/api/cells/${cell.cell?.id}/package`" />
      </v-list>
    </v-menu>
    <i />
    <div class="group">
      <v-btn v-for="view in faces" :key="view.id" :active="standingIn === view.id" :title="hint(`view-${view.id}`)" :data-test="`view-${view.id}`" @click="where.standard(view.id)">{{ view.name }}</v-btn>
      <v-menu>
        <template #activator="{ props: menu }">
          <v-btn v-bind="menu" :append-icon="mdiChevronDown" :active="!!corner" title="Corner views" data-test="corners">{{ corner?.name ?? 'Corner' }}</v-btn>
        </template>
        <v-list>
          <v-list-item v-for="view in corners" :key="view.id" :title="view.name" :data-test="`view-${view.id}`" @click="where.standard(view.id)">
            <template #append><kbd>{{ readable(action(`view-${view.id}`)?.key ?? '') }}</kbd></template>
          </v-list-item>
        </v-list>
      </v-menu>
    </div>
    <i />
    <v-menu :close-on-content-click="false">
      <template #activator="{ props: menu }">
        <v-btn v-bind="menu" :append-icon="mdiChevronDown" title="Projection and lens (O switches)" data-test="projection">{{ projection }}</v-btn>
      </template>
      <v-list>
        <v-list-item title="Perspective" :active="where.viewpoint.projection === 'perspective'" @click="where.setProjection('perspective')" />
        <v-list-item title="Parallel" :active="where.viewpoint.projection === 'parallel'" data-test="parallel" @click="where.setProjection('parallel')" />
        <v-list-subheader>Lens, {{ degrees }}° across</v-list-subheader>
        <v-list-item v-for="mm in lenses" :key="mm" :title="`${mm} mm`" :active="where.viewpoint.lens_mm === mm" :disabled="where.viewpoint.projection === 'parallel'" @click="where.setLens(mm)" />
      </v-list>
    </v-menu>
    <v-menu>
      <template #activator="{ props: menu }">
        <v-btn v-bind="menu" :append-icon="mdiChevronDown" title="Drawing style" data-test="style">{{ styles[where.style] }}</v-btn>
      </template>
      <v-list>
        <v-list-item v-for="(name, id) in styles" :key="id" :title="name" :active="where.style === id" @click="where.style = id" />
      </v-list>
    </v-menu>
    <v-btn :active="!!where.section" :title="hint('section')" data-test="section" @click="where.toggleSection">Section</v-btn>
    <v-menu :close-on-content-click="false">
      <template #activator="{ props: menu }">
        <v-btn v-bind="menu" :append-icon="mdiChevronDown" title="Saved views" data-test="views">Views</v-btn>
      </template>
      <v-list min-width="260" data-test="view-list">
        <v-list-item v-for="(view, i) in where.views" :key="view.id" :title="view.name" :active="where.recalled === view.id" @click="where.recall(view)">
          <template #append>
            <kbd v-if="i < 9" class="number">{{ i + 1 }}</kbd>
            <v-menu>
              <template #activator="{ props: more }"><v-btn v-bind="more" :aria-label="`What to do with ${view.name}`" @click.stop>⋯</v-btn></template>
              <v-list>
                <v-list-item title="Update from picture" @click="where.updateView(view)" />
                <v-list-item title="Rename" @click="rename(view)" />
                <v-list-item title="Delete" @click="where.deleteView(view)" />
              </v-list>
            </v-menu>
          </template>
        </v-list-item>
        <v-list-item v-if="!where.views.length" title="No views are saved yet" disabled />
        <v-divider />
        <v-list-item title="Save this view…" data-test="save-view" @click="keep" />
      </v-list>
    </v-menu>
    <span class="grow" />
    <div class="group">
      <v-btn :icon="mdiArrowLeft" :disabled="!where.back.length" :title="hint('view-back')" aria-label="View back" data-test="view-back" @click="where.goBack" />
      <v-btn :icon="mdiArrowRight" :disabled="!where.forward.length" :title="hint('view-forward')" aria-label="View forward" @click="where.goForward" />
    </div>
    <div class="group">
      <v-btn :icon="mdiUndo" :disabled="!cell.cell?.undo" :title="hint('undo')" aria-label="Undo" data-test="undo" @click="run('undo')" />
      <v-btn :icon="mdiRedo" :disabled="!cell.cell?.redo" :title="hint('redo')" aria-label="Redo" data-test="redo" @click="run('redo')" />
    </div>
    <v-btn :icon="mdiThemeLightDark" title="Light or dark" aria-label="Light or dark" data-test="theme" @click="settings.toggleDark()" />
    <button class="search" title="Find anything one can do (Ctrl+K)" @click="settings.finding = true">Find…<kbd>Ctrl K</kbd></button>

    <v-dialog :model-value="!!naming" max-width="380" @update:model-value="naming = null">
      <v-card v-if="naming" :title="naming.title">
        <v-card-text><v-text-field v-model="naming.name" autofocus label="Name" data-test="name" @focus="($event.target as HTMLInputElement).select()" @keydown.enter="named" /></v-card-text>
        <v-card-actions><v-spacer /><v-btn @click="naming = null">Cancel</v-btn><v-btn color="primary" data-test="name-ok" @click="named">Save</v-btn></v-card-actions>
      </v-card>
    </v-dialog>
  </header>
</template>

<style scoped>
.bar { display: flex; align-items: center; gap: 4px; padding: 0 12px; background: rgb(var(--v-theme-surface)); white-space: nowrap; overflow: hidden; }
.brand { font-weight: 750; font-size: 17px; color: var(--accent); margin-right: 8px; }
.cell { max-width: 128px; font-weight: 650; overflow: hidden; text-overflow: ellipsis; flex: 0 1 auto; }
i { width: 1px; height: 22px; background: var(--line); margin: 0 4px; flex: none; }
.group { display: flex; flex: none; }
.group .v-btn, .bar > .v-btn { padding-inline: 6px !important; flex: none; }
.v-btn--active { color: var(--accent); font-weight: 700; }
.grow { flex: 1; }
.search { border: 1px solid var(--line); border-radius: 6px; padding: 4px 8px; color: var(--soft); flex: none; }
.bar :deep(.v-btn--icon) { width: 28px; height: 28px; padding: 0 !important; }
.bar :deep(.v-btn__append) { margin-inline: 0 -3px; }
</style>
