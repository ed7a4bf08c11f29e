<script setup lang="ts">
import { useElementSize, useVirtualList } from '@vueuse/core'
import { computed, nextTick, ref, watch } from 'vue'

import type { Item } from '../api/client'
import { useCell } from '../cell/cellStore'
import Inspector from './Inspector.vue'
import { useItems } from './itemsStore'
import RoleIcon from './RoleIcon.vue'
import RosterRow from './RosterRow.vue'
import SetBar from './SetBar.vue'
import { useRosterKeys } from './useRosterKeys'
import { idOfRow, useRows } from './useRows'
import { useWhat } from './whatStore'

/** What stands above does: the picture fits items, or a menu opens on one. */
const emit = defineEmits<{
  fit: [items?: string[]]
  menu: [at: { x: number; y: number; item: string }]
}>()
const cell = useCell()
const what = useWhat()
const items = useItems()
const { filter, only, present, tick, closed, rows, toggleBranch } = useRows()
const ROW = 24

// Only the rows in sight are there: a cell may hold thousands.
const {
  list: inSight,
  containerProps,
  wrapperProps,
} = useVirtualList(rows, { itemHeight: ROW, overscan: 12 })
const tree = containerProps.ref
// Fewer rows than one had scrolled past: the last are shown, not the empty space after them.
watch(
  rows,
  (now) => {
    const box = tree.value
    if (box)
      box.scrollTop = Math.min(box.scrollTop, Math.max(0, now.length * ROW - box.clientHeight))
  },
  { flush: 'post' },
)
const { key, clicked } = useRosterKeys(rows, closed, {
  toggleBranch,
  fit: () => emit('fit'),
  rename: (item) => (renaming.value = item.id),
})
/** The row that the keys stand on, if it is there. */
const current = computed(() => {
  const id = [...what.selected].at(-1)
  return inSight.value.some(({ data }) => data.item.id === id) ? idOfRow(id!) : undefined
})

function click(e: MouseEvent, id: string) {
  clicked()
  if (e.shiftKey && what.selected.size) {
    const ids = rows.value.map((r) => r.item.id)
    const [a, b] = [ids.indexOf([...what.selected].at(-1)!), ids.indexOf(id)].sort((x, y) => x - y)
    what.selected = new Set(ids.slice(Math.max(0, a!), b! + 1))
    return
  }
  what.select(id, e.ctrlKey || e.metaKey)
}

// ---- renaming in place
const renaming = ref<string | null>(null)
/** With a name, or none if it stays as it was. */
function named(item: Item, name: string | null) {
  if (renaming.value !== item.id) return
  renaming.value = null
  tree.value?.focus()
  if (name && name !== item.name) void items.rename(item.id, name)
}

// ---- dragging to what carries it
const carried = ref<string[]>([])
const target = ref<string | null>(null)
function dragStart(e: DragEvent, id: string) {
  if (!what.selected.has(id)) what.select(id)
  carried.value = [...what.selected]
  e.dataTransfer!.effectAllowed = 'move'
  e.dataTransfer!.setData('text/plain', id)
}
const mayCarry = (id: string | null) =>
  carried.value.length > 0 && !carried.value.some((c) => id !== null && cell.family(c).includes(id))
function dropped(id: string | null) {
  const ids = carried.value
  target.value = null
  if (!mayCarry(id)) return
  carried.value = []
  items.hanging = { ids, parent: id, link: null }
}

function dragEnd() {
  carried.value = []
  target.value = null
}

function openMenu(e: MouseEvent, id: string) {
  if (!what.selected.has(id)) what.select(id)
  emit('menu', { x: e.clientX, y: e.clientY, item: id })
}
const { height } = useElementSize(tree)
watch([() => what.selected, height], async ([now]) => {
  const id = [...now].at(-1)
  if (!id) return
  for (let p = cell.items.get(id)?.parent; p; p = cell.items.get(p)?.parent) {
    if (closed.value.has(p)) toggleBranch(p)
  }
  await nextTick()
  const [box, at] = [tree.value, rows.value.findIndex((r) => r.item.id === id) * ROW]
  if (!box || at < 0) return
  if (at < box.scrollTop) box.scrollTop = at
  else if (at + ROW > box.scrollTop + box.clientHeight) box.scrollTop = at + ROW - box.clientHeight
})
</script>

<template>
  <section class="roster" aria-label="Roster">
    <div class="head">
      <h2 class="heading">Roster</h2>
      <span class="soft"
        >{{ cell.items.size }} items<template v-if="what.hiddenCount"
          >, {{ what.hiddenCount }} hidden</template
        ><template v-if="what.selected.size"
          >, <b data-test="selected-count">{{ what.selected.size }}</b> selected</template
        ></span
      >
    </div>
    <input
      v-model="filter"
      class="filter"
      placeholder="Filter by name or role"
      aria-label="Filter the roster"
      data-test="filter"
    />
    <div class="roles" role="group" aria-label="Roles listed">
      <button
        v-for="r in present"
        :key="r"
        :title="`Only ${r === 'structure' ? 'structure' : `${r}s`}`"
        :aria-label="`Only ${r}`"
        :aria-pressed="only.has(r)"
        :class="{ on: only.has(r) }"
        :data-test="`only-${r}`"
        @click="tick(r)"
      >
        <RoleIcon :role="r" />
      </button>
      <SetBar />
    </div>
    <div
      v-bind="containerProps"
      class="tree"
      data-test="tree"
      role="tree"
      tabindex="0"
      aria-multiselectable="true"
      aria-label="Items"
      :aria-activedescendant="current"
      @dragover.prevent="target = null"
      @drop.prevent="dropped(null)"
      @keydown="key"
    >
      <div v-bind="wrapperProps">
        <RosterRow
          v-for="{ data: row, index } in inSight"
          :key="row.item.id"
          :row="row"
          :index="index"
          :count="rows.length"
          :closed="closed.has(row.item.id)"
          :renaming="renaming === row.item.id"
          :class="{ target: target === row.item.id }"
          @dragstart="dragStart($event, row.item.id)"
          @dragend="dragEnd"
          @dragover.prevent.stop="target = mayCarry(row.item.id) ? row.item.id : null"
          @drop.prevent.stop="dropped(row.item.id)"
          @contextmenu.prevent="openMenu($event, row.item.id)"
          @click="click($event, row.item.id)"
          @dblclick="emit('fit', [row.item.id])"
          @twist="toggleBranch(row.item.id)"
          @named="named(row.item, $event)"
        />
      </div>
      <p v-if="!rows.length" class="soft none">
        {{
          cell.items.size
            ? 'Nothing here is called that.'
            : 'Nothing in it yet. Drop files on the page to bring something in.'
        }}
      </p>
    </div>
    <Inspector v-if="what.selected.size" />
  </section>
</template>

<style scoped>
.roster {
  display: flex;
  flex-direction: column;
  min-height: 0;
  background: rgb(var(--v-theme-surface));
}
.head {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  padding: 10px 14px 6px;
  font-size: 12px;
}
.filter {
  margin: 0 12px 8px;
  padding: 4px 8px;
  border: 1px solid var(--line);
  border-radius: 5px;
}
.tree {
  flex: 1;
  overflow: auto;
  outline-offset: -2px;
}
.roles {
  display: flex;
  flex-wrap: wrap;
  gap: 0;
  align-items: center;
  padding: 0 8px 6px;
}
.roles button {
  display: grid;
  place-items: center;
  width: 22px;
  height: 20px;
  border-radius: 4px;
}
.roles button.on {
  background: var(--accent-tint);
  outline: 1px solid var(--accent);
}
.none {
  padding: 10px 14px;
}
</style>
