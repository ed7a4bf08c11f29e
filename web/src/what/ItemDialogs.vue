<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { answer, api } from '../api/client'
import { useCell } from '../cell/cellStore'
import { toLikely } from '../cell/likely'
import { sentence } from '../cell/noticesStore'
import { useItems } from './itemsStore'

const cell = useCell()
const items = useItems()
const lists = computed(() => {
  const gone = items.doomed?.gone
  if (!gone) return []
  const all = [
    { head: 'Items', names: gone.items },
    { head: 'Programs that can’t run without them', names: gone.programs },
    { head: 'Rules that name nothing else', names: gone.rules },
    { head: 'Pairs that may touch', names: gone.pairs },
  ]
  return all.filter((l) => l.names.length)
})
const count = computed(() => items.doomed?.gone.items.length ?? 0)
const onto = computed(() =>
  items.hanging?.parent ? cell.items.get(items.hanging.parent)?.name : 'the floor',
)
const what = computed(() => {
  const ids = items.hanging?.ids ?? []
  return ids.length === 1 ? cell.items.get(ids[0]!)?.name : `${ids.length} items`
})
/** Links of what is hung on, to choose from. */
const links = ref<string[]>([])
watch(
  () => items.hanging?.parent,
  async (parent) => {
    links.value = []
    if (!parent || !cell.items.get(parent)?.mechanism) return
    const body = { items: [parent], frame: 'world' as const, time_s: 0 }
    const facts = await answer(
      api.POST('/api/cells/{id}/facts', { params: { path: { id: cell.cell!.id } }, body }),
    ).catch(() => [])
    links.value = facts[0]?.links ?? []
  },
)
function again() {
  const redo = cell.clash!.again
  cell.clash = null
  void redo()
}
</script>

<template>
  <v-dialog
    :model-value="!!items.doomed"
    max-width="460"
    aria-label="Delete"
    @after-enter="toLikely"
    @update:model-value="items.doomed = null"
  >
    <v-card
      v-if="items.doomed"
      :title="count === 1 ? `Delete ${items.doomed.gone.items[0]}?` : `Delete ${count} items?`"
      data-test="delete-dialog"
    >
      <v-card-text>
        <p class="soft">All of this goes. It can be undone.</p>
        <div v-for="list in lists" :key="list.head" class="list">
          <b>{{ list.head }}</b>
          <ul>
            <li v-for="(name, i) in list.names.slice(0, 40)" :key="i">{{ name }}</li>
            <li v-if="list.names.length > 40" class="soft">
              and {{ list.names.length - 40 }} more
            </li>
          </ul>
        </div>
      </v-card-text>
      <v-card-actions
        ><v-spacer /><v-btn @click="items.doomed = null">Keep</v-btn
        ><v-btn color="error" autofocus data-test="delete-ok" @click="items.remove"
          >Delete</v-btn
        ></v-card-actions
      >
    </v-card>
  </v-dialog>
  <v-dialog
    :model-value="!!items.hanging"
    max-width="420"
    aria-label="Hang it elsewhere"
    @after-enter="toLikely"
    @update:model-value="items.hanging = null"
  >
    <v-card v-if="items.hanging" :title="`Hang ${what} on ${onto}`" data-test="hang-dialog">
      <v-card-text>
        <label v-if="links.length" class="on-link"
          >On
          <select v-model="items.hanging.link" aria-label="Link" data-test="hang-link">
            <option :value="null">its base</option>
            <option v-for="l in links.slice(1)" :key="l" :value="l">
              {{ l.replaceAll('_', ' ') }}
            </option>
          </select></label
        >
        What stays as it is?
      </v-card-text>
      <v-card-actions class="choices">
        <v-btn
          variant="outlined"
          color="primary"
          autofocus
          data-test="hang-world"
          title="Its numbers change, its place does not"
          @click="items.hang('world')"
          >Where it stands in the cell</v-btn
        >
        <v-btn
          variant="outlined"
          data-test="hang-local"
          title="It jumps to the same numbers in its new frame"
          @click="items.hang('local')"
          >Its numbers, so that it jumps</v-btn
        >
        <v-btn @click="items.hanging = null">Cancel</v-btn>
      </v-card-actions>
    </v-card>
  </v-dialog>
  <v-dialog
    :model-value="!!cell.clash"
    max-width="460"
    aria-label="Someone else came before"
    @update:model-value="cell.clash = null"
  >
    <v-card
      v-if="cell.clash"
      title="Someone else came before"
      :text="`${sentence(cell.clash.said)} You see the cell as it is now.`"
      data-test="clash-dialog"
    >
      <v-card-actions
        ><v-spacer /><v-btn data-test="clash-theirs" @click="cell.clash = null"
          >Leave it as it is</v-btn
        ><v-btn color="primary" data-test="clash-mine" @click="again"
          >Do mine all the same</v-btn
        ></v-card-actions
      >
    </v-card>
  </v-dialog>
</template>

<style scoped>
.list {
  margin-top: 8px;
  max-height: 220px;
  overflow: auto;
}
.list ul {
  padding-left: 18px;
}
.on-link {
  display: block;
  margin-bottom: 10px;
}
.on-link select {
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 1px 6px;
  appearance: auto;
}
.choices {
  display: grid;
  gap: 8px;
  justify-items: stretch;
  padding: 0 16px 16px;
}
</style>
