<script setup lang="ts">
import {
  mdiChevronDown,
  mdiChevronRight,
  mdiEyeOffOutline,
  mdiEyeOutline,
  mdiLockOutline,
} from '@mdi/js'
import { useElementSize, useVirtualList } from '@vueuse/core'
import { computed, nextTick, ref, watch } from 'vue'

import { bindingOf, useBindings, useKeys } from '../settings/bindings'
import type { Item } from '../api/client'
import { useCell } from '../cell/cellStore'
import Inspector from './Inspector.vue'
import { roles, useItems } from './itemsStore'
import RoleIcon from './RoleIcon.vue'
import SetBar from './SetBar.vue'
import { useWhat } from './whatStore'

/** What stands above does: the picture fits items, or a menu opens on one. */
const emit = defineEmits<{
  fit: [items?: string[]]
  menu: [at: { x: number; y: number; item: string }]
}>()
const cell = useCell()
const what = useWhat()
const keyOf = useKeys()
const items = useItems()
const filter = ref('')
/** Roles that are listed; all where none is ticked. */
const only = ref(new Set<string>())
const present = computed(() =>
  roles.filter((r) => [...cell.items.values()].some((i) => i.role === r)),
)
function tick(role: string) {
  const next = new Set(only.value)
  if (!next.delete(role)) next.add(role)
  only.value = next
}
const closed = ref(new Set<string>())
const ROW = 24

interface Row {
  item: Item
  depth: number
  branch: boolean
}
const rows = computed<Row[]>(() => {
  const words = filter.value.toLowerCase().split(/\s+/).filter(Boolean)
  const filtered = words.length > 0 || only.value.size > 0
  const fits = (i: Item) =>
    (!only.value.size || only.value.has(i.role)) &&
    words.every((w) => i.name.toLowerCase().includes(w) || i.role.includes(w))
  const found: Row[] = []
  const walk = (parent: string | null, depth: number) => {
    for (const item of cell.children.get(parent) ?? []) {
      const branch = !!cell.children.get(item.id)?.length
      if (filtered) {
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
// A long list of the same begins closed.
watch(
  () => cell.cell?.id,
  () => {
    const many = [...cell.children].filter(
      ([id, c]) => id && c.length > 7 && !c.some((i) => cell.children.get(i.id)),
    )
    closed.value = new Set(many.map(([id]) => id!))
  },
  { immediate: true },
)

function toggleBranch(id: string) {
  const next = new Set(closed.value)
  if (!next.delete(id)) next.add(id)
  closed.value = next
}
function click(e: MouseEvent, id: string) {
  byKeys = false
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
  if (e.key.startsWith('Arrow') || e.key === 'Home' || e.key === 'End') byKeys = true
  if (e.key === 'ArrowDown') go(Math.min(rows.value.length - 1, at + 1))
  else if (e.key === 'ArrowUp') go(Math.max(0, at - 1))
  else if (e.key === 'ArrowLeft' && row) {
    if (row.branch && !closed.value.has(row.item.id)) toggleBranch(row.item.id)
    else if (row.item.parent) what.select(row.item.parent)
  } else if (e.key === 'ArrowRight' && row?.branch && closed.value.has(row.item.id))
    toggleBranch(row.item.id)
  else if (e.key === 'Enter' && row) emit('fit')
  else if (e.key === 'Home') go(0)
  else if (e.key === 'End') go(rows.value.length - 1)
  else if (e.key === ' ' && stillTyping()) typeAhead(e.key, at, go)
  else if (e.key === ' ' && row) what.toggle(row.item.id)
  else if (e.key === 'F2' && row) startRenaming(row.item)
  else if (
    e.key.length === 1 &&
    /\S/.test(e.key) &&
    !e.ctrlKey &&
    !e.metaKey &&
    !e.altKey &&
    isTyping(e)
  )
    typeAhead(e.key, at, go)
  else return
  e.preventDefault()
  e.stopPropagation()
}

// ---- a name typed goes to the next item that begins with it
let typedSoFar = ''
let lastTyped = -Infinity
const TYPING_MS = 900
/**
 * While one goes through the list by keys, letters go to names; after a click they are shortcuts,
 * if they mean something.
 */
let byKeys = false
const isTyping = (e: KeyboardEvent) => byKeys || !keysInForce.value.has(bindingOf(e))
const keysInForce = computed(() => new Set(useBindings().inForce.values()))
const stillTyping = () => performance.now() - lastTyped < TYPING_MS
function typeAhead(letter: string, at: number, go: (i: number) => unknown) {
  typedSoFar = (stillTyping() ? typedSoFar : '') + letter.toLowerCase()
  lastTyped = performance.now()
  const from = typedSoFar.length > 1 ? at : at + 1
  const names = rows.value.map((r) => r.item.name.toLowerCase())
  const found = names.findIndex((n, i) => i >= from && n.startsWith(typedSoFar))
  go(found >= 0 ? found : names.findIndex((n) => n.startsWith(typedSoFar)))
}

// ---- renaming in place
const renaming = ref<string | null>(null)
function startRenaming(item: Item) {
  renaming.value = item.id
  void nextTick(() => document.querySelector<HTMLInputElement>('.roster .renaming')?.select())
}
function renamed(item: Item, e: Event) {
  if (renaming.value !== item.id) return
  const name = (e.target as HTMLInputElement).value.trim()
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
  <aside class="roster" aria-label="Roster">
    <div class="head">
      <span class="heading">Roster</span
      ><span class="soft"
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
      @dragover.prevent="target = null"
      @drop.prevent="dropped(null)"
      role="tree"
      tabindex="0"
      aria-multiselectable="true"
      aria-label="Items"
      @keydown="key"
    >
      <div v-bind="wrapperProps">
        <div
          v-for="{ data: { item, depth, branch }, index } in inSight"
          :key="item.id"
          class="row"
          role="treeitem"
          :data-id="item.id"
          :aria-level="depth + 1"
          :aria-setsize="rows.length"
          :aria-posinset="index + 1"
          :aria-selected="what.selected.has(item.id)"
          :aria-expanded="branch ? !closed.has(item.id) : undefined"
          :class="{
            selected: what.selected.has(item.id),
            hovered: what.hovered === item.id,
            gone: !what.visible.has(item.id),
            target: target === item.id,
          }"
          :style="{ paddingLeft: `${8 + depth * 15}px` }"
          draggable="true"
          @dragstart="dragStart($event, item.id)"
          @dragend="((carried = []), (target = null))"
          @dragover.prevent.stop="target = mayCarry(item.id) ? item.id : null"
          @drop.prevent.stop="dropped(item.id)"
          @contextmenu.prevent="openMenu($event, item.id)"
          @click="click($event, item.id)"
          @dblclick="emit('fit', [item.id])"
          @mouseenter="what.hovered = item.id"
          @mouseleave="what.hovered = null"
        >
          <button
            v-if="branch"
            class="twist"
            tabindex="-1"
            :aria-label="closed.has(item.id) ? 'Expand' : 'Collapse'"
            @click.stop="toggleBranch(item.id)"
          >
            <v-icon :icon="closed.has(item.id) ? mdiChevronRight : mdiChevronDown" size="14" />
          </button>
          <span v-else class="twist" />
          <RoleIcon :role="item.role" />
          <input
            v-if="renaming === item.id"
            class="renaming"
            :value="item.name"
            aria-label="New name"
            data-test="renaming"
            @click.stop
            @dblclick.stop
            @keydown.stop
            @keydown.enter="renamed(item, $event)"
            @keydown.escape="((renaming = null), tree?.focus())"
            @blur="renamed(item, $event)"
          />
          <span
            v-else
            class="name"
            :title="`${item.name}, ${item.role}${item.notes ? `: ${item.notes}` : ''}`"
            >{{ item.name }}</span
          >
          <v-icon v-if="item.locked" :icon="mdiLockOutline" size="12" class="lock" title="Locked" />
          <button
            class="eye"
            tabindex="-1"
            :title="what.visible.has(item.id) ? `Hide (${keyOf('hide')})` : 'Show'"
            :aria-label="`${what.visible.has(item.id) ? 'Hide' : 'Show'} ${item.name}`"
            @click.stop="what.toggle(item.id)"
            @dblclick.stop
          >
            <v-icon
              :icon="what.visible.has(item.id) ? mdiEyeOutline : mdiEyeOffOutline"
              size="15"
            />
          </button>
        </div>
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
  </aside>
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
.row {
  display: flex;
  align-items: center;
  gap: 5px;
  height: 24px;
  padding-right: 8px;
  cursor: default;
  border-left: 3px solid transparent;
}
.row:hover,
.hovered {
  background: var(--card);
}
.row.selected {
  background: var(--plum-tint);
  border-left-color: var(--plum);
  font-weight: 650;
}
.target {
  outline: 1.5px solid var(--accent);
  outline-offset: -2px;
  background: var(--accent-tint);
}
.roles {
  display: flex;
  flex-wrap: wrap;
  gap: 2px;
  align-items: center;
  padding: 0 10px 6px;
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
.renaming {
  flex: 1;
  min-width: 0;
  border: 1px solid var(--accent);
  border-radius: 3px;
  padding: 0 3px;
  background: rgb(var(--v-theme-surface));
}
.lock {
  opacity: 0.6;
  flex: none;
}
.gone .name,
.gone svg {
  opacity: 0.45;
}
.name {
  flex: 1;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.twist {
  width: 14px;
  flex: none;
  display: grid;
  place-items: center;
}
.eye {
  opacity: 0.6;
  flex: none;
}
.eye:hover {
  opacity: 1;
}
.none {
  padding: 10px 14px;
}
</style>
