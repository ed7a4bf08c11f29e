<script setup lang="ts">
import 'splitpanes/dist/splitpanes.css'

import { useEventListener } from '@vueuse/core'
import { Pane, Splitpanes } from 'splitpanes'
import { computed, onMounted, ref, watch } from 'vue'

import { useActions } from '../actions/actionsStore'
import { bindingOf, readable } from '../settings/bindings'
import type { Vec3 } from '../api/client'
import { useLive } from '../api/live'
import FindingsPanel from '../findings/FindingsPanel.vue'
import { useFindings } from '../findings/findingsStore'
import ExportDialog from './ExportDialog.vue'
import { useExport } from '../actions/exportStore'
import { loadMeshes } from '../scene/meshes'
import Picture from '../picture/Picture.vue'
import BindingSheet from '../actions/BindingSheet.vue'
import FindDialog from '../actions/FindDialog.vue'
import QuickBar from '../actions/QuickBar.vue'
import SettingsDialog from '../actions/SettingsDialog.vue'
import { useSettings } from '../settings/settingsStore'
import Roster from '../what/Roster.vue'
import PathStrip from './PathStrip.vue'
import { useWhen } from '../when/whenStore'
import { type Movement, movementVerbs } from '../settings/gestures'
import { useHeldDial } from '../picture/heldDial'
import { useStandpoint } from '../where/standpointStore'
import { useTours } from '../where/tourStore'
import TourStrip from './TourStrip.vue'
import { lookKey } from '../picture/useHand'
import ViewBar from './ViewBar.vue'
import { useViews } from '../where/viewsStore'
import { useWhere } from '../where/whereStore'
import { useUnits } from '../settings/units'
import ItemDialogs from '../what/ItemDialogs.vue'
import { useItems } from '../what/itemsStore'
import { useWhat } from '../what/whatStore'
import { useThumbnail } from '../picture/cellThumbnail'
import { useCell } from '../cell/cellStore'
import { filesOfDrop } from '../what/droppedFiles'
import ImportDialog from '../what/ImportDialog.vue'
import { useImport } from '../what/importStore'
import { useLinks } from './links'
import NameDialog from './NameDialog.vue'
import { useNotices } from '../cell/noticesStore'
import ContextMenu from '../picture/ContextMenu.vue'

const props = defineProps<{ id: string }>()
const emit = defineEmits<{ leave: []; open: [id: string] }>()
const cell = useCell()
const notices = useNotices()
const where = useWhere()
const when = useWhen()
const findings = useFindings()
const settings = useSettings()
const views = useViews()
const tours = useTours()
const standpoint = useStandpoint()
const dial = useHeldDial()
const what = useWhat()
const items = useItems()
const bringing = useImport()
const exporting = useExport()
const units = useUnits()
const links = useLinks()

const ready = ref(false)
async function start() {
  const asked = location.hash
  await cell.open(props.id)
  if (!cell.cell) return
  // On their way while the page is built; the picture waits for them.
  loadMeshes(props.id, cell.cell.bodies).catch(() => undefined)
  document.title = `${cell.cell.document.name} – Selvik`
  ready.value = true
  tours.open(null)
  await where.loadStandardViews()
  what.restore()
  if (!where.restore()) await views.showOpening()
  await Promise.all([when.load(), findings.load()])
  await links.follow(asked)
  if (!findings.findings && !cell.cell.path.fault) await findings.sweep()
}
onMounted(start)

const { status } = useLive(
  (event) => {
    if (event.cell !== props.id) return
    if (event.event === 'job') findings.heard(event)
    else if (event.revision > (cell.cell?.revision ?? 0) && !cell.saving)
      void cell.refresh().then(findings.load)
  },
  () => void cell.refresh().then(findings.load),
)

// What an edit changes for the programs is asked for again; findings know by themselves that they are stale.
watch(
  [() => cell.cell?.path, () => cell.cell?.moving_nodes, () => cell.cell?.poses],
  (_, [before]) => before && ready.value && void when.load(),
)
watch(
  () => cell.cell?.document.name,
  (name) => name && (document.title = `${name} – Selvik`),
)
useThumbnail(() => ready.value)

// ---- bringing in
const over = ref(false)
async function drop(e: DragEvent) {
  over.value = false
  if (e.dataTransfer?.types.includes('Files'))
    await bringing.bring(await filesOfDrop(e.dataTransfer))
}
function chosenFiles(e: Event) {
  const input = e.target as HTMLInputElement
  void bringing.bring([...(input.files ?? [])].map((file) => ({ path: file.name, file })))
  input.value = ''
}
async function stored(id: string, added: string[]) {
  if (id !== props.id) return emit('open', id)
  await cell.refresh()
  what.selected = new Set(added)
  void where.fitSelection()
}

// ---- keys
const table = useActions()
/** The menu on an item of the roster. */
const rosterMenu = ref<{ x: number; y: number; item: string } | null>(null)
const elsewhere = (target: HTMLElement) =>
  target.closest('input, textarea, select, [contenteditable], .v-overlay__content')
useEventListener(window, 'pointermove', dial.moved, { capture: true, passive: true })
useEventListener(window, 'keydown', (e: KeyboardEvent) => {
  const target = e.target as HTMLElement
  if (elsewhere(target)) return
  if (standpoint.key(e, true)) return e.preventDefault()
  const plain = !e.ctrlKey && !e.metaKey && !e.altKey && !e.shiftKey
  const held = e.key.toLowerCase()
  if (plain && held === 'v') return (lookKey.value = true)
  if (plain && held === 'd') return dial.open()
  const action = table.list.find((a) => a.key === bindingOf(e))
  if (!action || (e.key === ' ' && target.closest('button'))) return
  if (e.key.startsWith('Arrow') && target.closest('[role=tree], [role=slider]')) return
  if (e.key === 'Escape' && bringing.open) return void bringing.stop()
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
function frameInWords(): string | undefined {
  const names = { world: 'the world', parent: 'what carries it', own: 'its own frame' }
  const { frame } = items
  return typeof frame === 'string' ? names[frame] : cell.items.get(frame.item)?.name
}
const hint = computed(() => {
  if (standpoint.mode)
    return 'Drag looks round · W A S D go · E Q rise and sink · wheel sets the speed · Esc leaves'
  if (items.handles) {
    const round = items.handles === 'turn' ? ' round' : ''
    const steps = items.locked
      ? `${items.locked.name} is locked`
      : 'hold Ctrl for steps of 10 mm and 5°'
    return `Drag an arrow${round}: ${steps} · along the axes of ${frameInWords()} · Esc ends`
  }
  if (lookKey.value)
    return 'Left drag turns · with Shift moves · with Ctrl comes nearer · let go of V to select again'
  const shown: Movement[] = ['turn', 'move', 'select']
  const of = (m: Movement) =>
    Object.keys(settings.gestures)
      .filter((g) => settings.gestures[g] === m)
      .sort((a, b) => a.length - b.length)[0]
  const hints = shown.flatMap((m) =>
    of(m) ? `${of(m)} ${m === 'select' ? '' : 'drag '}${movementVerbs[m]}` : [],
  )
  const double = {
    fit: 'double click fits',
    pivot: 'double click sets the pivot',
    'face-on': 'double click looks square on',
    nothing: '',
  }[settings.looking.doubleClick]
  return [
    ...hints,
    'wheel comes nearer',
    double,
    `hold V: left turns`,
    `${readable(table.get('bindings').key ?? '?')} shows all`,
  ]
    .filter(Boolean)
    .join(' · ')
})
const pointer = ref<Vec3 | null>(null)
/** The frame that coordinates are given in. */
const inFrame = computed(() =>
  typeof items.frame === 'object' ? cell.items.get(items.frame.item) : undefined,
)
const coordinates = computed(() => {
  const node =
    inFrame.value && cell.cell?.item_nodes[cell.cell.document.items.indexOf(inFrame.value)]
  const at =
    pointer.value &&
    (node === undefined ? pointer.value : exporting.scene?.inFrame(node, pointer.value))
  return at?.map((x) => units.number(x)).join('  ') ?? '–'
})
const under = computed(() => (what.hovered ? cell.items.get(what.hovered)?.name : ''))
const lengthUnits = ['mm', 'cm', 'm', 'inch'] as const
const nextUnit = () =>
  (settings.units.length = lengthUnits[(lengthUnits.indexOf(settings.units.length) + 1) % 4]!)

interface Resized {
  panes: { size: number }[]
}
function resizedAcross({ panes }: Resized) {
  const { roster, findings: found } = settings.panels
  if (roster) settings.panels.rosterWidth = panes[0]!.size
  if (found) settings.panels.findingsWidth = panes.at(-1)!.size
}
function resizedDown({ panes }: Resized) {
  if (panes.length > 1) settings.panels.pathHeight = panes[1]!.size
}
const middle = computed(
  () =>
    100 -
    (settings.panels.roster ? settings.panels.rosterWidth : 0) -
    (settings.panels.findings ? settings.panels.findingsWidth : 0),
)
const strip = computed(() => settings.panels.path || !!tours.tour)
</script>

<template>
  <div v-if="cell.error" class="whole">
    <p role="alert">{{ cell.error }}</p>
    <v-btn color="primary" @click="start">Try again</v-btn>
    <v-btn @click="$emit('leave')">All cells</v-btn>
  </div>
  <div v-else-if="!ready" class="whole soft">Opening the cell…</div>
  <div
    v-else
    class="workspace"
    :class="{ over }"
    @dragover.prevent="over = !!$event.dataTransfer?.types.includes('Files')"
    @dragleave.self="over = false"
    @drop.prevent="drop"
  >
    <ViewBar class="bar" :actions="table.list" @leave="$emit('leave')" />
    <Splitpanes horizontal class="panels" :dbl-click-splitter="false" @resized="resizedDown">
      <Pane :size="strip ? 100 - settings.panels.pathHeight : 100" min-size="30">
        <Splitpanes :dbl-click-splitter="false" @resized="resizedAcross">
          <Pane v-if="settings.panels.roster" :size="settings.panels.rosterWidth" min-size="10"
            ><Roster
              class="roster"
              @fit="(items) => where.fitSelection(items)"
              @menu="(at) => (rosterMenu = at)"
          /></Pane>
          <Pane :size="middle" min-size="25">
            <div class="middle">
              <Picture @pointer="pointer = $event" />
              <QuickBar :actions="table.list" />
              <div v-if="status !== 'OPEN'" class="banner" role="status">
                The server does not answer. What you see is what was loaded; changes wait until it
                is back.
              </div>
            </div>
          </Pane>
          <Pane v-if="settings.panels.findings" :size="settings.panels.findingsWidth" min-size="12"
            ><FindingsPanel class="findings"
          /></Pane>
        </Splitpanes>
      </Pane>
      <Pane v-if="strip" :size="settings.panels.pathHeight" min-size="10"
        ><TourStrip v-if="tours.tour" /><PathStrip v-else
      /></Pane>
    </Splitpanes>
    <footer class="status">
      <span class="hint" data-test="hint">{{ hint }}</span>
      <span class="grow" />
      <span v-if="under" class="under" data-test="under">{{ under }}</span>
      <span
        >{{ inFrame?.name ?? 'World' }}
        <span class="number" data-test="coordinates">{{ coordinates }}</span>
        <button class="unit" title="Lengths in another unit" data-test="unit" @click="nextUnit">
          {{ units.sign }}
        </button></span
      >
      <span data-test="saving">{{
        cell.saving ? 'Saving…' : `Saved, revision ${cell.cell?.revision}`
      }}</span>
    </footer>
    <ContextMenu
      v-if="rosterMenu"
      :x="rosterMenu.x"
      :y="rosterMenu.y"
      :hits="[{ item: rosterMenu.item, at: [0, 0, 0] }]"
      @close="rosterMenu = null"
    />
    <FindDialog :actions="table.list" />
    <SettingsDialog :actions="table.list" />
    <BindingSheet :actions="table.list" />
    <ExportDialog />
    <NameDialog />
    <ItemDialogs />
    <ImportDialog @stored="stored" />
    <input
      id="files-to-bring"
      type="file"
      multiple
      class="away"
      tabindex="-1"
      aria-hidden="true"
      data-test="files-to-bring"
      @change="chosenFiles"
    />
    <div v-if="over" class="dropping">Drop to bring it in</div>
    <v-snackbar
      :model-value="!!notices.said"
      :timeout="7000"
      location="top"
      @update:model-value="notices.clear()"
      >{{ notices.said }}</v-snackbar
    >
  </div>
</template>

<style scoped>
.workspace {
  display: grid;
  height: 100vh;
  width: 100vw;
  overflow: hidden;
  background: rgb(var(--v-theme-surface));
  grid-template-rows: 46px minmax(0, 1fr) 24px;
}
.bar {
  border-bottom: 1px solid var(--line);
}
.panels {
  min-height: 0;
}
.panels :deep(.splitpanes__splitter) {
  position: relative;
  background: var(--line);
  flex: none;
}
.panels :deep(.splitpanes__splitter::after) {
  content: '';
  position: absolute;
  z-index: 5;
  inset: -3px;
}
.panels :deep(.splitpanes__splitter:hover) {
  background: var(--accent);
}
.panels :deep(.splitpanes--vertical > .splitpanes__splitter) {
  width: 1px;
  cursor: col-resize;
}
.panels.splitpanes--horizontal > :deep(.splitpanes__splitter) {
  height: 1px;
  cursor: row-resize;
}
.panels :deep(.splitpanes__pane) {
  transition: none !important;
}
.roster,
.findings {
  height: 100%;
}
.middle {
  position: relative;
  width: 100%;
  height: 100%;
}
.status {
  display: flex;
  gap: 20px;
  align-items: center;
  padding: 0 14px;
  border-top: 1px solid var(--line);
  font-size: 12px;
  color: var(--soft);
  white-space: nowrap;
  overflow: hidden;
}
.hint {
  overflow: hidden;
  text-overflow: ellipsis;
}
.unit {
  color: inherit;
  text-decoration: underline dotted;
}
.away {
  position: absolute;
  width: 1px;
  height: 1px;
  opacity: 0;
  pointer-events: none;
}
.dropping {
  position: fixed;
  inset: 10px;
  z-index: 30;
  display: grid;
  place-content: center;
  border: 2px dashed var(--accent);
  border-radius: 10px;
  background: color-mix(in srgb, var(--accent-tint) 80%, transparent);
  font-size: 18px;
  font-weight: 700;
  color: var(--accent);
  pointer-events: none;
}
.grow {
  flex: 1;
}
.under {
  max-width: 180px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.banner {
  position: absolute;
  left: 50%;
  bottom: 14px;
  translate: -50% 0;
  padding: 8px 14px;
  border-radius: 6px;
  background: rgb(var(--v-theme-error));
  color: rgb(var(--v-theme-surface));
}
.whole {
  height: 100vh;
  display: grid;
  place-content: center;
  gap: 12px;
  justify-items: center;
}
</style>
