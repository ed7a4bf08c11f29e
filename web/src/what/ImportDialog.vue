<script setup lang="ts">
import { computed } from 'vue'

import { roles } from './itemsStore'
import { useUnits } from '../settings/units'
import { useCell } from '../cell/cellStore'
import { filesOfDrop } from './droppedFiles'
import { type Chosen, type Found, useImport } from './importStore'

const emit = defineEmits<{ stored: [cell: string, items: string[]] }>()
const cell = useCell()
const bringing = useImport()
const units = useUnits()

const metres = { mm: 0.001, cm: 0.01, m: 1, inch: 0.0254 }
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
const size = (f: Found, c: Chosen) => {
  if (!f.size) return '–'
  const [x, y, z] = f.size.map((s) => units.number(s * metres[c.unit] * 1000))
  return `${(c.up === 'y' ? [x, z, y] : [x, y, z]).join(' × ')} ${units.sign.value}`
}
/** What was wrong with a mesh, and what was done about it. */
const flaws = (f: Found) => {
  const { open_edges, degenerate, duplicate, turned_shells, turned_triangles } = f.flaws
  return [
    open_edges && `${open_edges} open edges: what is inside is told by how nearly it closes`,
    degenerate && `${degenerate} triangles without an area left out`,
    duplicate && `${duplicate} double triangles left out`,
    turned_shells && `${turned_shells} shells inside out turned over`,
    turned_triangles &&
      `${turned_triangles} triangles that ran against their neighbours turned over`,
  ]
    .filter(Boolean)
    .join(' · ')
}
const carriers = computed(() => [...cell.items.values()])
async function store() {
  const stored = await bringing.store()
  if (stored) emit('stored', stored.cell, stored.items)
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
  <v-dialog :model-value="bringing.open" max-width="900" persistent @keydown.escape="bringing.stop">
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
                <th />
                <th>Name</th>
                <th>Role</th>
                <th>Unit</th>
                <th>Up</th>
                <th class="right">Size</th>
                <th class="right">Triangles</th>
                <th v-if="bringing.into === 'cell'">Hangs on</th>
              </tr>
            </thead>
            <tbody v-for="(c, i) in bringing.chosen" :key="c.file">
              <tr :class="{ off: !c.take }" data-test="found">
                <td>
                  <input
                    v-model="c.take"
                    type="checkbox"
                    :disabled="!!bringing.found[i]!.problem"
                    :aria-label="`Bring in ${c.name}`"
                  />
                </td>
                <td><input v-model="c.name" class="name" aria-label="Name" :title="c.file" /></td>
                <td>
                  <select v-model="c.role" aria-label="Role">
                    <option v-for="r in roles" :key="r" :value="r">{{ r }}</option>
                  </select>
                </td>
                <td>
                  <select
                    v-model="c.unit"
                    :disabled="bringing.found[i]!.says_itself"
                    aria-label="Unit"
                    data-test="found-unit"
                  >
                    <option value="mm">mm</option>
                    <option value="cm">cm</option>
                    <option value="m">m</option>
                    <option value="inch">inch</option>
                  </select>
                </td>
                <td>
                  <select
                    v-model="c.up"
                    :disabled="bringing.found[i]!.says_itself"
                    aria-label="Axis that points up"
                    data-test="found-up"
                  >
                    <option value="z">Z</option>
                    <option value="y">Y</option>
                  </select>
                </td>
                <td class="number right size" data-test="found-size">
                  {{ size(bringing.found[i]!, c) }}
                </td>
                <td class="number right">
                  {{ bringing.found[i]!.triangles.toLocaleString('en') }}
                </td>
                <td v-if="bringing.into === 'cell'">
                  <select v-model="c.parent" class="carrier" aria-label="Hangs on">
                    <option value="">the floor</option>
                    <option v-for="p in carriers" :key="p.id" :value="p.id">{{ p.name }}</option>
                  </select>
                </td>
              </tr>
              <tr class="about">
                <td />
                <td colspan="7">
                  <span
                    v-if="bringing.found[i]!.kind === 'robot' && !bringing.found[i]!.problem"
                    class="soft"
                    >{{ bringing.found[i]!.links }}
                    {{ bringing.found[i]!.links === 1 ? 'link' : 'links' }},
                    {{ bringing.found[i]!.joints }} moving
                    {{ bringing.found[i]!.joints === 1 ? 'joint' : 'joints'
                    }}{{
                      bringing.found[i]!.srdf
                        ? `, with ${bringing.found[i]!.srdf}${bringing.found[i]!.joint_groups.length ? ` (groups ${bringing.found[i]!.joint_groups.join(', ')})` : ''}`
                        : ''
                    }}.
                  </span>
                  <label
                    v-if="bringing.found[i]!.collisions"
                    class="soft geometry"
                    :title="`${bringing.found[i]!.collisions} links have geometry of both kinds; the one chosen is shown and measured`"
                    >Shown and measured
                    <select
                      v-model="c.geometry"
                      aria-label="Geometry that is shown and measured"
                      data-test="found-geometry"
                    >
                      <option value="visual">what is meant to be seen</option>
                      <option value="collision">what is meant for collisions</option>
                    </select></label
                  >
                  <span v-if="flaws(bringing.found[i]!)" class="soft" data-test="found-flaws">{{
                    flaws(bringing.found[i]!)
                  }}</span>
                  <span
                    v-if="bringing.found[i]!.problem"
                    class="problem"
                    data-test="found-problem"
                    >{{ bringing.found[i]!.problem }}</span
                  >
                </td>
              </tr>
            </tbody>
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
td {
  padding: 2px 6px;
}
tbody {
  border-top: 1px solid var(--line);
}
.right {
  text-align: right;
}
.size {
  white-space: nowrap;
}
.off .name,
.off .number {
  opacity: 0.5;
}
.about td {
  padding-top: 0;
  font-size: 12px;
}
.name {
  width: 100%;
  min-width: 120px;
  border-bottom: 1px solid var(--line);
}
select {
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0 4px;
  appearance: auto;
  background: inherit;
  color: inherit;
}
.carrier {
  max-width: 130px;
}
.geometry {
  margin-right: 8px;
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
}
</style>
