<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { computed, onMounted, ref } from 'vue'

import { bindingOf, useActions } from '../actions'
import type { Vec3 } from '../api/client'
import { useLive } from '../api/live'
import FindingsPanel from '../findings/FindingsPanel.vue'
import { useFindings } from '../findings/findingsStore'
import Picture from '../scene/Picture.vue'
import FindDialog from '../settings/FindDialog.vue'
import { useSettings } from '../settings/settingsStore'
import Roster from '../what/Roster.vue'
import PathStrip from '../when/PathStrip.vue'
import { useWhen } from '../when/whenStore'
import BearingDial from '../where/BearingDial.vue'
import StateChips from '../where/StateChips.vue'
import ViewBar from '../where/ViewBar.vue'
import { useWhere } from '../where/whereStore'
import { useCell } from './cellStore'

const props = defineProps<{ id: string }>()
defineEmits<{ leave: [] }>()
const cell = useCell()
const where = useWhere()
const when = useWhen()
const findings = useFindings()
const settings = useSettings()

const ready = ref(false)
async function start() {
  await cell.open(props.id)
  if (!cell.cell) return
  document.title = `${cell.cell.document.name} – Selvik`
  ready.value = true
  await where.loadStandardViews()
  await where.openingView()
  await Promise.all([when.load(), findings.load()])
  if (!findings.findings && !cell.cell.path.fault) await findings.sweep()
}
onMounted(start)

const { status } = useLive(
  (event) => {
    if (event.cell !== props.id) return
    if (event.event === 'job') findings.heard(event)
    else if (event.revision > (cell.cell?.revision ?? 0) && !cell.saving) void cell.refresh().then(findings.load)
  },
  () => void cell.refresh().then(findings.load),
)

const actions = computed(useActions)
useEventListener(window, 'keydown', (e: KeyboardEvent) => {
  const target = e.target as HTMLElement
  if (target.closest('input, textarea, [contenteditable], .v-overlay__content')) return
  const action = actions.value.find((a) => a.key === bindingOf(e))
  if (!action || (e.key === ' ' && target.closest('button, [role=slider]'))) return
  if (e.key.startsWith('Arrow') && target.closest('[role=tree], [role=slider]')) return
  e.preventDefault()
  if (action.enabled?.() ?? true) void action.run()
})

const pointer = ref<Vec3 | null>(null)
const coordinates = computed(() => pointer.value?.map((x) => x.toFixed(1)).join('  ') ?? '–')
</script>

<template>
  <div v-if="cell.error" class="whole">
    <p role="alert">{{ cell.error }}</p>
    <v-btn color="primary" @click="start">Try again</v-btn>
    <v-btn @click="$emit('leave')">All cells</v-btn>
  </div>
  <div v-else-if="!ready" class="whole soft">Opening the cell…</div>
  <div v-else class="workspace">
    <ViewBar class="bar" :actions="actions" @leave="$emit('leave')" />
    <Roster class="roster" />
    <div class="middle">
      <Picture class="fill" @pointer="pointer = $event" />
      <StateChips />
      <BearingDial />
      <div v-if="status !== 'OPEN'" class="banner" role="status">The server does not answer. What you see is what was loaded; changes wait until it is back.</div>
    </div>
    <FindingsPanel class="findings" />
    <PathStrip class="strip" />
    <footer class="status">
      <span>Drag turns · right drag moves · wheel comes nearer · click selects · double click fits</span>
      <span class="grow" />
      <span>World <span class="number">{{ coordinates }}</span> mm</span>
      <span data-test="saving">{{ cell.saving ? 'Saving…' : `Saved, revision ${cell.cell?.revision}` }}</span>
    </footer>
    <FindDialog v-model="settings.finding" :actions="actions" />
    <v-snackbar :model-value="!!cell.notice" :timeout="7000" location="top" @update:model-value="cell.notice = ''">{{ cell.notice }}</v-snackbar>
  </div>
</template>

<style scoped>
.workspace {
  display: grid; height: 100vh; width: 100vw; overflow: hidden; background: rgb(var(--v-theme-surface));
  grid-template: 'bar bar bar' 46px 'roster middle findings' minmax(0, 1fr) 'strip strip strip' 150px 'status status status' 24px / 236px minmax(0, 1fr) 276px;
}
.bar { grid-area: bar; border-bottom: 1px solid var(--line); }
.roster { grid-area: roster; border-right: 1px solid var(--line); }
.middle { grid-area: middle; position: relative; min-width: 0; min-height: 0; }
.fill { position: absolute; inset: 0; }
.findings { grid-area: findings; border-left: 1px solid var(--line); }
.strip { grid-area: strip; border-top: 1px solid var(--line); }
.status { grid-area: status; display: flex; gap: 20px; align-items: center; padding: 0 14px; border-top: 1px solid var(--line); font-size: 12px; color: var(--soft); white-space: nowrap; overflow: hidden; }
.grow { flex: 1; }
.banner { position: absolute; left: 50%; bottom: 14px; translate: -50% 0; padding: 8px 14px; border-radius: 6px; background: rgb(var(--v-theme-error)); color: rgb(var(--v-theme-surface)); }
.whole { height: 100vh; display: grid; place-content: center; gap: 12px; justify-items: center; }
@media (max-width: 1100px) { .workspace { grid-template-columns: 190px minmax(0, 1fr) 230px; } }
</style>
