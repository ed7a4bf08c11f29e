<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import { useActions } from '../actions/actionsStore'
import QuickBar from '../actions/QuickBar.vue'
import type { Vec3 } from '../api/client'
import { useCell } from '../cell/cellStore'
import { sentence } from '../cell/noticesStore'
import FindingsPanel from '../findings/FindingsPanel.vue'
import ContextMenu from '../picture/ContextMenu.vue'
import GettingStarted from '../picture/GettingStarted.vue'
import JogPanel from '../picture/JogPanel.vue'
import ProgramPanel from '../picture/ProgramPanel.vue'
import Picture from '../picture/Picture.vue'
import { useSettings } from '../settings/settingsStore'
import { filesOfDrop } from '../what/droppedFiles'
import { useImport } from '../what/importStore'
import Roster from '../what/Roster.vue'
import { useWhat } from '../what/whatStore'
import { useTours } from '../where/tourStore'
import { useDrawing } from '../where/drawingStore'
import { useWhere } from '../where/whereStore'
import Panels from './Panels.vue'
import PathStrip from './PathStrip.vue'
import StatusBar from './StatusBar.vue'
import TourStrip from './TourStrip.vue'
import { useCellPage } from './useCellPage'
import { useWorkspaceKeys } from './useWorkspaceKeys'
import ViewBar from './ViewBar.vue'
import WorkspaceDialogs from './WorkspaceDialogs.vue'

const props = defineProps<{ id: string }>()
const router = useRouter()
const cell = useCell()
const where = useWhere()
const drawing = useDrawing()
const settings = useSettings()
const tours = useTours()
const what = useWhat()
const bringing = useImport()
const table = useActions()
useWorkspaceKeys()

const { ready, start, status } = useCellPage(props.id)

// ---- bringing in
const over = ref(false)
async function drop(e: DragEvent) {
  over.value = false
  if (e.dataTransfer?.types.includes('Files'))
    await bringing.bring(await filesOfDrop(e.dataTransfer))
}
async function stored(id: string, added: string[]) {
  if (id !== props.id) return router.push({ name: 'cell', params: { id } })
  await cell.refresh()
  what.selected = new Set(added)
  void where.fitSelection()
}

/** The menu on an item of the roster. */
const rosterMenu = ref<{ x: number; y: number; item: string } | null>(null)
const pointer = ref<Vec3 | null>(null)
const strip = computed(() => settings.panels.path || !!tours.tour)
const leave = () => router.push('/')
</script>

<template>
  <div v-if="cell.error" class="whole">
    <p role="alert">{{ sentence(cell.error) }}</p>
    <v-btn color="primary" @click="start">Try again</v-btn>
    <v-btn @click="leave()">All cells</v-btn>
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
    <ViewBar class="bar" :actions="table.list" @leave="leave()" />
    <main class="panels">
      <h1 class="unseen">{{ cell.cell?.document.name }}</h1>
      <Panels :below="strip">
        <template #roster>
          <Roster
            class="roster"
            @fit="(items) => where.fitSelection(items)"
            @menu="(at) => (rosterMenu = at)"
          />
        </template>
        <div class="middle">
          <Picture @pointer="pointer = $event" />
          <GettingStarted v-if="!drawing.open" />
          <ProgramPanel />
          <JogPanel />
          <QuickBar :actions="table.list" />
          <div v-if="status !== 'OPEN'" class="banner" role="status">
            The server does not answer. What you see is what was loaded; changes wait until it is
            back.
          </div>
        </div>
        <template #findings><FindingsPanel class="findings" /></template>
        <template #below><TourStrip v-if="tours.tour" /><PathStrip v-else /></template>
      </Panels>
    </main>
    <StatusBar :pointer="pointer" />
    <ContextMenu
      v-if="rosterMenu"
      :x="rosterMenu.x"
      :y="rosterMenu.y"
      :hits="[{ item: rosterMenu.item, at: [0, 0, 0] }]"
      @close="rosterMenu = null"
    />
    <WorkspaceDialogs @stored="stored" />
    <div v-if="over" class="dropping">Drop to bring it in</div>
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
.roster,
.findings {
  height: 100%;
}
.panels {
  min-height: 0;
}
.middle {
  position: relative;
  width: 100%;
  height: 100%;
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
