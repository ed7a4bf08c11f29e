<script setup lang="ts">
import { mdiChevronDown, mdiChevronRight, mdiEyeOffOutline, mdiEyeOutline } from '@mdi/js'
import { useVirtualList } from '@vueuse/core'
import { computed, nextTick, ref, watch } from 'vue'

import { useKeys } from '../actions'
import type { Item } from '../api/client'
import { useCell } from '../cells/cellStore'
import { useWhere } from '../where/whereStore'
import RoleIcon from './RoleIcon.vue'
import { useWhat } from './whatStore'

const cell = useCell()
const what = useWhat()
const where = useWhere()
const keyOf = useKeys()
const filter = ref('')
const closed = ref(new Set<string>())
const ROW = 24

interface Row { item: Item; depth: number; branch: boolean }
const rows = computed<Row[]>(() => {
  const words = filter.value.toLowerCase().split(/\s+/).filter(Boolean)
  const fits = (i: Item) => words.every((w) => i.name.toLowerCase().includes(w) || i.role.includes(w))
  const found: Row[] = []
  const walk = (parent: string | null, depth: number) => {
    for (const item of cell.children.get(parent) ?? []) {
      const branch = !!cell.children.get(item.id)?.length
      if (words.length) {
        if (fits(item)) found.push({ item, depth: 0, branch: false })
        walk(item.id, depth)
        continue
      }
      found.push({ item, depth, branch })
      if (!closed.value.has(item.id)) walk(item.id, depth + 1)
    }
  }
  walk(null, 0)
  return found
})
// Only the rows in sight are there: a cell may hold thousands.
const { list: inSight, containerProps, wrapperProps } = useVirtualList(rows, { itemHeight: ROW, overscan: 12 })
const tree = containerProps.ref
// A long list of the same begins closed.
watch(() => cell.cell?.id, () => {
  const many = [...cell.children].filter(([id, c]) => id && c.length > 7 && !c.some((i) => cell.children.get(i.id)))
  closed.value = new Set(many.map(([id]) => id!))
}, { immediate: true })

function toggleBranch(id: string) {
  const next = new Set(closed.value)
  if (!next.delete(id)) next.add(id)
  closed.value = next
}
function click(e: MouseEvent, id: string) {
  if (e.shiftKey && what.selected.size) {
    const ids = rows.value.map((r) => r.item.id)
    const [a, b] = [ids.indexOf([...what.selected].at(-1)!), ids.indexOf(id)].sort((x, y) => x - y)
    what.selected = new Set(ids.slice(Math.max(0, a!), b! + 1))
    return
  }
  what.select(id, e.ctrlKey || e.metaKey)
}
function key(e: KeyboardEvent) {
  const at = rows.value.findIndex((r) => r.item.id === [...what.selected].at(-1))
  const row = rows.value[at]
  const go = (i: number) => rows.value[i] && what.select(rows.value[i]!.item.id)
  if (e.key === 'ArrowDown') go(Math.min(rows.value.length - 1, at + 1))
  else if (e.key === 'ArrowUp') go(Math.max(0, at - 1))
  else if (e.key === 'ArrowLeft' && row) {
    if (row.branch && !closed.value.has(row.item.id)) toggleBranch(row.item.id)
    else if (row.item.parent) what.select(row.item.parent)
  } else if (e.key === 'ArrowRight' && row?.branch && closed.value.has(row.item.id)) toggleBranch(row.item.id)
  else if (e.key === 'Enter' && row) void where.fitSelection()
  else return
  e.preventDefault()
}
watch(() => what.selected, async (now) => {
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
  <aside class="roster" aria-label="Roster">
    <div class="head"><span class="heading">Roster</span><span class="soft">{{ cell.items.size }} items<template v-if="what.hiddenCount">, {{ what.hiddenCount }} hidden</template><template v-if="what.selected.size">, <b data-test="selected-count">{{ what.selected.size }}</b> selected</template></span></div>
    <input v-model="filter" class="filter" placeholder="Filter by name or role" aria-label="Filter the roster" data-test="filter" />
    <div v-bind="containerProps" class="tree" role="tree" tabindex="0" aria-multiselectable="true" aria-label="Items" @keydown="key">
      <div v-bind="wrapperProps"><div
        v-for="{ data: { item, depth, branch }, index } in inSight" :key="item.id" class="row" role="treeitem" :data-id="item.id" :aria-level="depth + 1" :aria-setsize="rows.length" :aria-posinset="index + 1" :aria-selected="what.selected.has(item.id)"
        :aria-expanded="branch ? !closed.has(item.id) : undefined" :class="{ selected: what.selected.has(item.id), hovered: what.hovered === item.id, gone: !what.visible.has(item.id) }"
        :style="{ paddingLeft: `${8 + depth * 15}px` }" @click="click($event, item.id)" @dblclick="where.fitSelection([item.id])" @mouseenter="what.hovered = item.id" @mouseleave="what.hovered = null"
      >
        <button v-if="branch" class="twist" tabindex="-1" :aria-label="closed.has(item.id) ? 'Expand' : 'Collapse'" @click.stop="toggleBranch(item.id)"><v-icon :icon="closed.has(item.id) ? mdiChevronRight : mdiChevronDown" size="14" /></button>
        <span v-else class="twist" />
        <RoleIcon :role="item.role" />
        <span class="name" :title="`${item.name}, ${item.role}`">{{ item.name }}</span>
        <button class="eye" tabindex="-1" :title="what.visible.has(item.id) ? `Hide (${keyOf('hide')})` : 'Show'" :aria-label="`${what.visible.has(item.id) ? 'Hide' : 'Show'} ${item.name}`" @click.stop="what.toggle(item.id)" @dblclick.stop>
          <v-icon :icon="what.visible.has(item.id) ? mdiEyeOutline : mdiEyeOffOutline" size="15" />
        </button>
      </div></div>
      <p v-if="!rows.length" class="soft none">Nothing here is called that.</p>
    </div>
  </aside>
</template>

<style scoped>
.roster { display: flex; flex-direction: column; min-height: 0; background: rgb(var(--v-theme-surface)); }
.head { display: flex; justify-content: space-between; align-items: baseline; padding: 10px 14px 6px; font-size: 12px; }
.filter { margin: 0 12px 8px; padding: 4px 8px; border: 1px solid var(--line); border-radius: 5px; }
.tree { flex: 1; overflow: auto; outline-offset: -2px; }
.row { display: flex; align-items: center; gap: 5px; height: 24px; padding-right: 8px; cursor: default; border-left: 3px solid transparent; }
.row:hover, .hovered { background: var(--card); }
.row.selected { background: var(--plum-tint); border-left-color: var(--plum); font-weight: 650; }
.gone .name, .gone svg { opacity: 0.45; }
.name { flex: 1; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.twist { width: 14px; flex: none; display: grid; place-items: center; }
.eye { opacity: 0.6; flex: none; }
.eye:hover { opacity: 1; }
.none { padding: 10px 14px; }
</style>
