<script setup lang="ts">
import { computed } from 'vue'

import type { Action, Question } from './action'
import { readable } from '../settings/bindings'
import { movementNames } from '../settings/gestures'
import { useSettings } from '../settings/settingsStore'
import { roleMeanings } from '../what/roles'
import RoleIcon from '../what/RoleIcon.vue'

const props = defineProps<{ actions: Action[] }>()
const settings = useSettings()
const questions: Question[] = ['Where', 'What', 'When', 'Findings', 'Program']
const bound = (of: Question) => props.actions.filter((a) => a.of === of && a.key)
const gestures = computed(() => Object.entries(settings.gestures))
const fixed = [
  ['Wheel', 'Comes nearer to what is under the pointer; sets the speed while standing'],
  ['Two fingers on a trackpad', 'Turn; with Shift move; pinch comes nearer'],
  ['Double click of the wheel', 'Fits all'],
  [
    'Hold V',
    'The left button turns; with Shift moves, with Ctrl comes nearer, with Alt looks round',
  ],
  ['Hold D', 'The dial at the pointer: a short stroke picks a standard view'],
]
</script>

<template>
  <v-dialog
    :model-value="settings.open === 'bindings'"
    max-width="1220"
    aria-label="All bindings"
    @update:model-value="settings.open = null"
  >
    <div class="sheet" data-test="binding-sheet">
      <div class="head">
        <h2>All bindings</h2>
        <button class="text" @click="settings.open = 'settings'">Change them…</button>
      </div>
      <div class="columns">
        <section>
          <h3 class="heading">The hand</h3>
          <p v-for="[gesture, movement] in gestures" :key="gesture">
            <kbd>{{ gesture }}</kbd><span>{{ movementNames[movement] }}</span>
          </p>
          <p v-for="[gesture, does] in fixed" :key="gesture">
            <kbd>{{ gesture }}</kbd><span>{{ does }}</span>
          </p>
        </section>
        <section class="whole">
          <h3 class="heading">Roles</h3>
          <p v-for="(means, role) in roleMeanings" :key="role" data-test="role-legend">
            <span class="role"><RoleIcon :role="role" /> {{ role }}</span
            ><span>{{ means }}</span>
          </p>
        </section>
        <section v-for="q in questions" :key="q">
          <h3 class="heading">{{ q }}</h3>
          <p v-for="a in bound(q)" :key="a.id">
            <kbd>{{ readable(a.key!) }}</kbd><span>{{ a.name }}</span>
          </p>
        </section>
      </div>
    </div>
  </v-dialog>
</template>

<style scoped>
.sheet {
  background: rgb(var(--v-theme-surface));
  border: 1px solid var(--line);
  border-radius: 10px;
  padding: 16px 24px;
  max-height: 94vh;
  overflow: auto;
}
.head {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  margin-bottom: 8px;
}
h2 {
  font-size: 18px;
  font-weight: 700;
}
.columns {
  columns: 4;
  column-gap: 26px;
}
section {
  margin-bottom: 14px;
}
.heading {
  margin: 0 0 4px;
  break-after: avoid;
}
p {
  display: grid;
  grid-template-columns: 104px 1fr;
  gap: 8px;
  break-inside: avoid;
  font-size: 12px;
  line-height: 1.3;
  padding: 1px 0;
}
.whole {
  break-inside: avoid;
}
.role {
  display: flex;
  gap: 6px;
  align-items: center;
}
kbd {
  margin: 0;
  overflow-wrap: anywhere;
}
.text {
  color: var(--accent);
  font-weight: 600;
}
</style>
