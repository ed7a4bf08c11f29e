<script setup lang="ts">
import { computed, shallowRef } from 'vue'

import { useCell } from '../cell/cellStore'
import { useNotices } from '../cell/noticesStore'
import { type Pick, useMeasure } from './measureStore'

/** A thing chosen by name instead of picked: a frame, or a whole item. */
const props = defineProps<{ index: number }>()
const cell = useCell()
const measure = useMeasure()
const notices = useNotices()

const label = computed(() => (props.index ? 'To' : 'From'))
const isBodied = computed(() => new Set(cell.cell?.bodies.map((b) => b.item)))
/** Those that stand in the roster, and where robots stand. */
const frames = computed(() => {
  const items = cell.cell?.document.items ?? []
  const base = items
    .filter((i) => i.role === 'robot')
    .map((i) => ({ ...i, name: `${i.name}, base` }))
  const all = [...base, ...items.filter((i) => i.role === 'frame')]
  return all.map((i) => ({ ...i, kind: 'frame' as const }))
})
/** Of robots: a shoulder is the frame of the link behind the second joint. */
const links = computed(() => {
  const linked = (cell.cell?.bodies ?? []).filter((b) => b.link)
  return linked.map((b) => ({ id: `${b.item}/${b.link}`, name: b.name, kind: 'frame' as const }))
})
/** Of programs whose targets stand in a file, their names, once the choice is about to be made. */
const filed = shallowRef<Record<string, string[]>>({})
async function fetchFiled() {
  const wanted = (cell.cell?.document.programs ?? []).filter((p) => p.targets_csv)
  const ofOne = async ({ id }: { id: string }) => {
    const url = `/api/cells/${cell.cell!.id}/targets?format=json&program=${encodeURIComponent(id)}`
    const rows = (await (await fetch(url)).json()) as { id: string }[]
    return [id, rows.map((row) => row.id)] as const
  }
  try {
    filed.value = Object.fromEntries(await Promise.all(wanted.map(ofOne)))
  } catch (e) {
    notices.say(e)
  }
}
const targets = computed(() =>
  (cell.cell?.document.programs ?? []).flatMap((p) => {
    const ids = filed.value[p.id] ?? (p.targets ?? []).map((t) => t.id)
    return ids.map((id) => ({
      id: `${p.id}/${id}`,
      name: `${p.name}, ${id}`,
      kind: 'target' as const,
    }))
  }),
)
const groups = computed(() => {
  const items = cell.cell?.document.items ?? []
  return {
    Frames: frames.value,
    'Frames of links': links.value,
    Targets: targets.value,
    Items: items
      .filter((i) => i.role === 'group' || isBodied.value.has(i.id))
      .map((i) => ({ ...i, kind: 'item' as const })),
  }
})
function choose(e: Event) {
  const { value } = e.target as HTMLSelectElement
  const parted = value.indexOf(' ')
  const kind = value.slice(0, parted) as Pick['kind']
  measure.put(props.index, { on: value.slice(parted + 1), kind })
}
</script>

<template>
  <label class="choice"
    >{{ label }}
    <select
      :aria-label="`Measure ${label.toLowerCase()}`"
      :data-test="`choose-${index}`"
      @pointerenter.once="fetchFiled"
      @focus.once="fetchFiled"
      @change="choose"
    >
      <option value="" selected disabled>a frame or an item…</option>
      <optgroup v-for="(list, name) in groups" :key="name" :label="name">
        <option v-for="i in list" :key="i.id" :value="`${i.kind} ${i.id}`">{{ i.name }}</option>
      </optgroup>
    </select></label
  >
</template>

<style scoped>
.choice {
  display: grid;
  grid-template-columns: 36px minmax(0, 1fr);
  align-items: center;
  font-size: 12px;
}
</style>
