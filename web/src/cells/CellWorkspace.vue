<script setup lang="ts">
import 'splitpanes/dist/splitpanes.css'

import { useEventListener } from '@vueuse/core'
import { Pane, Splitpanes } from 'splitpanes'
import { computed, onMounted, ref } from 'vue'

import { bindingOf, readable, useActions } from '../actions'
import type { Vec3 } from '../api/client'
import { useLive } from '../api/live'
import FindingsPanel from '../findings/FindingsPanel.vue'
import { useFindings } from '../findings/findingsStore'
import ExportDialog from '../scene/ExportDialog.vue'
import Picture from '../scene/Picture.vue'
import BindingSheet from '../settings/BindingSheet.vue'
import FindDialog from '../settings/FindDialog.vue'
import QuickBar from '../settings/QuickBar.vue'
import SettingsDialog from '../settings/SettingsDialog.vue'
import { useSettings } from '../settings/settingsStore'
import Roster from '../what/Roster.vue'
import PathStrip from '../when/PathStrip.vue'
import { useWhen } from '../when/whenStore'
import { type Movement, movementVerbs } from '../where/gestures'
import { useHeldDial } from '../where/heldDial'
import { useStandpoint } from '../where/standpointStore'
import { useTours } from '../where/tourStore'
import TourStrip from '../where/TourStrip.vue'
import { lookKey } from '../where/useHand'
import ViewBar from '../where/ViewBar.vue'
import { useViews } from '../where/viewsStore'
import { useWhere } from '../where/whereStore'
import { useCell } from './cellStore'
import NameDialog from './NameDialog.vue'

const props = defineProps<{ id: string }>()
defineEmits<{ leave: [] }>()
const cell = useCell()
const where = useWhere()
const when = useWhen()
const findings = useFindings()
const settings = useSettings()
const views = useViews()
const tours = useTours()
const standpoint = useStandpoint()
const dial = useHeldDial()

const ready = ref(false)
async function start() {
  await cell.open(props.id)
  if (!cell.cell) return
  document.title = `${cell.cell.document.name} – Selvik`
  ready.value = true
  tours.open(null)
  await where.loadStandardViews()
  if (!where.restore()) await views.showOpening()
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

// ---- keys
const actions = computed(useActions)
const elsewhere = (target: HTMLElement) => target.closest('input, textarea, select, [contenteditable], .v-overlay__content')
useEventListener(window, 'pointermove', dial.moved, { capture: true, passive: true })
useEventListener(window, 'keydown', (e: KeyboardEvent) => {
  const target = e.target as HTMLElement
  if (elsewhere(target)) return
  if (standpoint.key(e, true)) return e.preventDefault()
  const plain = !e.ctrlKey && !e.metaKey && !e.altKey && !e.shiftKey
  const held = e.key.toLowerCase()
  if (plain && held === 'v') return (lookKey.value = true)
  if (plain && held === 'd') return dial.open()
  const action = actions.value.find((a) => a.key === bindingOf(e))
  if (!action || (e.key === ' ' && target.closest('button, [role=slider]'))) return
  if (e.key.startsWith('Arrow') && target.closest('[role=tree], [role=slider]')) return
  e.preventDefault()
  if (action.id === 'escape') dial.close(false)
  if (action.enabled?.() ?? true) void action.run()
})
useEventListener(window, 'keyup', (e: KeyboardEvent) => {
  standpoint.key(e, false)
  if (e.key.toLowerCase() === 'v') lookKey.value = false
  if (e.key.toLowerCase() === 'd') dial.close(true)
})
useEventListener(window, 'blur', () => {
  standpoint.release()
  lookKey.value = false
  dial.close(false)
})

// ---- what the mouse does now
const hint = computed(() => {
  if (standpoint.mode) return 'Drag looks round · W A S D go · E Q rise and sink · wheel sets the speed · Esc leaves'
  if (lookKey.value) return 'Left drag turns · with Shift moves · with Ctrl comes nearer · let go of V to select again'
  const shown: Movement[] = ['turn', 'move', 'select']
  const of = (m: Movement) => Object.keys(settings.gestures).filter((g) => settings.gestures[g] === m).sort((a, b) => a.length - b.length)[0]
  const hints = shown.flatMap((m) => (of(m) ? `${of(m)} ${m === 'select' ? '' : 'drag '}${movementVerbs[m]}` : []))
  const double = { fit: 'double click fits', pivot: 'double click sets the pivot', 'face-on': 'double click looks square on', nothing: '' }[settings.looking.doubleClick]
  return [...hints, 'wheel comes nearer', double, `hold V: left turns`, `${readable(actions.value.find((a) => a.id === 'bindings')?.key ?? '?')} shows all`].filter(Boolean).join(' · ')
})
const pointer = ref<Vec3 | null>(null)
const coordinates = computed(() => pointer.value?.map((x) => x.toFixed(1)).join('  ') ?? '–')

interface Resized { panes: { size: number }[] }
function resizedAcross({ panes }: Resized) {
  const { roster, findings: found } = settings.panels
  if (roster) settings.panels.rosterWidth = panes[0]!.size
  if (found) settings.panels.findingsWidth = panes.at(-1)!.size
}
function resizedDown({ panes }: Resized) {
  if (panes.length > 1) settings.panels.pathHeight = panes[1]!.size
}
const middle = computed(() => 100 - (settings.panels.roster ? settings.panels.rosterWidth : 0) - (settings.panels.findings ? settings.panels.findingsWidth : 0))
const strip = computed(() => settings.panels.path || !!tours.tour)
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
    <Splitpanes horizontal class="panels" :dbl-click-splitter="false" @resized="resizedDown">
      <Pane :size="strip ? 100 - settings.panels.pathHeight : 100" min-size="30">
        <Splitpanes :dbl-click-splitter="false" @resized="resizedAcross">
          <Pane v-if="settings.panels.roster" :size="settings.panels.rosterWidth" min-size="10"><Roster class="roster" /></Pane>
          <Pane :size="middle" min-size="25">
            <div class="middle">
              <Picture @pointer="pointer = $event" />
              <QuickBar :actions="actions" />
              <div v-if="status !== 'OPEN'" class="banner" role="status">The server does not answer. What you see is what was loaded; changes wait until it is back.</div>
            </div>
          </Pane>
          <Pane v-if="settings.panels.findings" :size="settings.panels.findingsWidth" min-size="12"><FindingsPanel class="findings" /></Pane>
        </Splitpanes>
      </Pane>
      <Pane v-if="strip" :size="settings.panels.pathHeight" min-size="10"><TourStrip v-if="tours.tour" /><PathStrip v-else /></Pane>
    </Splitpanes>
    <footer class="status">
      <span class="hint" data-test="hint">{{ hint }}</span>
      <span class="grow" />
      <span>World <span class="number">{{ coordinates }}</span> mm</span>
      <span data-test="saving">{{ cell.saving ? 'Saving…' : `Saved, revision ${cell.cell?.revision}` }}</span>
    </footer>
    <FindDialog :actions="actions" />
    <SettingsDialog :actions="actions" />
    <BindingSheet :actions="actions" />
    <ExportDialog />
    <NameDialog />
    <v-snackbar :model-value="!!cell.notice" :timeout="7000" location="top" @update:model-value="cell.notice = ''">{{ cell.notice }}</v-snackbar>
  </div>
</template>

<style scoped>
.workspace { display: grid; height: 100vh; width: 100vw; overflow: hidden; background: rgb(var(--v-theme-surface)); grid-template-rows: 46px minmax(0, 1fr) 24px; }
.bar { border-bottom: 1px solid var(--line); }
.panels { min-height: 0; }
.panels :deep(.splitpanes__splitter) { position: relative; background: var(--line); flex: none; }
.panels :deep(.splitpanes__splitter::after) { content: ''; position: absolute; z-index: 5; inset: -3px; }
.panels :deep(.splitpanes__splitter:hover) { background: var(--accent); }
.panels :deep(.splitpanes--vertical > .splitpanes__splitter) { width: 1px; cursor: col-resize; }
.panels.splitpanes--horizontal > :deep(.splitpanes__splitter) { height: 1px; cursor: row-resize; }
.panels :deep(.splitpanes__pane) { transition: none !important; }
.roster, .findings { height: 100%; }
.middle { position: relative; width: 100%; height: 100%; }
.status { display: flex; gap: 20px; align-items: center; padding: 0 14px; border-top: 1px solid var(--line); font-size: 12px; color: var(--soft); white-space: nowrap; overflow: hidden; }
.hint { overflow: hidden; text-overflow: ellipsis; }
.grow { flex: 1; }
.banner { position: absolute; left: 50%; bottom: 14px; translate: -50% 0; padding: 8px 14px; border-radius: 6px; background: rgb(var(--v-theme-error)); color: rgb(var(--v-theme-surface)); }
.whole { height: 100vh; display: grid; place-content: center; gap: 12px; justify-items: center; }
</style>
