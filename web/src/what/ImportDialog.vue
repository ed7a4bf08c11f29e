<script setup lang="ts">
import { computed } from 'vue'

import { useCell } from '../cell/cellStore'
import { filesOfDrop } from './droppedFiles'
import FoundRow from './FoundRow.vue'
import RecordingRow from './RecordingRow.vue'
import { useImport } from './importStore'

const emit = defineEmits<{ stored: [cell: string, items: string[]] }>()
const cell = useCell()
const bringing = useImport()

const state = computed(() => bringing.state)
const progress = computed(() => {
  const s = state.value
  if (s?.state !== 'reading') return 100
  return s.total ? (100 * s.done) / s.total : bringing.sent * 100
})
const doing = computed(() => {
  const s = state.value
  if (s?.state !== 'reading') return ''
  if (!s.total)
    return bringing.sent < 1
      ? `Sending, ${(bringing.sent * 100).toFixed(0)} %`
      : 'Looking through the files'
  return `Reading ${s.what}, ${s.done + 1} of ${s.total}`
})
async function store() {
  const stored = await bringing.store()
  if (!stored) return
  emit('stored', stored.cell, stored.items)
  bringing.close()
}
const more = (e: Event) => {
  const input = e.target as HTMLInputElement
  void bringing.bring(
    [...(input.files ?? [])].map((file) => ({ path: file.webkitRelativePath || file.name, file })),
    true,
  )
}
const drop = async (e: DragEvent) => bringing.bring(await filesOfDrop(e.dataTransfer!), true)
const missing = computed(() => bringing.found.flatMap((f) => f.missing))
</script>

<template>
  <v-dialog
    :model-value="bringing.open"
    max-width="900"
    aria-label="Bring in"
    persistent
    @keydown.escape="bringing.stop"
  >
    <v-card title="Bring in" data-test="import-dialog" @dragover.prevent @drop.prevent.stop="drop">
      <v-card-text class="body">
        <p v-if="bringing.failed" class="problem" role="alert" data-test="import-failed">
          {{ bringing.failed }}
        </p>
        <div v-else-if="state?.state === 'reading'" class="reading" role="status">
          <v-progress-linear
            :model-value="progress"
            :indeterminate="bringing.sent === 1 && state.total < 2"
            color="primary"
            height="5"
            rounded
          /><span>{{ doing }}</span>
        </div>
        <p v-else-if="state?.state === 'package'" data-test="import-package">
          A cell package: <b>{{ state.name }}</b>, {{ state.items }} items, {{ state.files }} files,
          {{ (state.bytes / 1e6).toFixed(1) }} MB. It becomes a cell of its own.
        </p>
        <template v-else-if="state?.state === 'things'">
          <table>
            <thead>
              <tr>
                <th><span class="unseen">Brought in</span></th>
                <th>Name</th>
                <th>Role</th>
                <th>Unit</th>
                <th>Up</th>
                <th class="right">Size</th>
                <th class="right">Triangles</th>
                <th>Hangs on</th>
              </tr>
            </thead>
            <component
              :is="bringing.found[i]!.kind === 'recording' ? RecordingRow : FoundRow"
              v-for="(c, i) in bringing.chosen"
              :key="c.file"
              v-model="bringing.chosen[i]!"
              :found="bringing.found[i]!"
            />
          </table>
          <div v-if="missing.length" class="missing" data-test="missing">
            <b>Missing meshes</b>
            <ul>
              <li v-for="m in missing.slice(0, 12)" :key="m">{{ m }}</li>
              <li v-if="missing.length > 12">and {{ missing.length - 12 }} more</li>
            </ul>
            <label class="add"
              >Add files…<input type="file" multiple data-test="add-missing" @change="more"
            /></label>
            <span class="soft"
              >or drop them here. Without them the robot comes in, but what they belong to can’t be
              certified.</span
            >
          </div>
          <p v-if="state.unread.length" class="soft">
            Not read: {{ state.unread.slice(0, 6).join(', ')
            }}{{ state.unread.length > 6 ? ` and ${state.unread.length - 6} more` : '' }}
          </p>
          <div class="into">
            <label v-if="cell.cell"
              ><input v-model="bringing.into" type="radio" value="cell" /> into
              {{ cell.cell.document.name }}</label
            >
            <label
              ><input v-model="bringing.into" type="radio" value="new" /> into a new cell
              <input
                v-if="bringing.into === 'new'"
                v-model="bringing.name"
                class="name"
                aria-label="Name of the new cell"
                data-test="new-cell-name"
            /></label>
          </div>
        </template>
      </v-card-text>
      <v-card-actions>
        <v-spacer /><v-btn data-test="import-stop" @click="bringing.stop">{{
          state?.state === 'reading' && !bringing.failed ? 'Stop' : 'Cancel'
        }}</v-btn>
        <v-btn
          color="primary"
          variant="flat"
          :disabled="!bringing.ready || !!bringing.failed"
          :loading="bringing.storing"
          data-test="import-store"
          @click="store"
          >Bring in</v-btn
        >
      </v-card-actions>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.body {
  max-height: 66vh;
  overflow: auto;
  display: grid;
  gap: 12px;
}
.reading {
  display: grid;
  gap: 8px;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}
th {
  text-align: left;
  font-weight: 600;
  color: var(--soft);
  padding: 0 6px 4px;
}
.right {
  text-align: right;
}
.name {
  width: 100%;
  min-width: 120px;
  border-bottom: 1px solid var(--line);
}
.problem {
  color: rgb(var(--v-theme-error));
}
.missing {
  padding: 8px 12px;
  border: 1px solid rgb(var(--v-theme-error));
  border-radius: 6px;
}
.missing ul {
  padding-left: 18px;
}
.add {
  color: var(--accent);
  font-weight: 600;
  cursor: pointer;
}
.add input {
  position: absolute;
  width: 1px;
  height: 1px;
  opacity: 0;
}
.into {
  display: flex;
  gap: 18px;
  align-items: center;
}
.into label {
  display: flex;
  gap: 6px;
  align-items: center;
  white-space: nowrap;
}
</style>
