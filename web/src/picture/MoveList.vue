<script setup lang="ts">
import { useVirtualList } from '@vueuse/core'
import { computed } from 'vue'

import { useRules } from '../findings/rulesStore'
import { moveSaid } from '../when/moveSaid'
import { usePrograms } from '../when/programStore'
import { clock, useWhen } from '../when/whenStore'

/** The moves of a program, and when each begins; one or several in a row are selected. */
const programs = usePrograms()
const rules = useRules()
const when = useWhen()

const ROW = 22
const rows = computed(() => programs.moves.map((step, index) => ({ step, index })))
// Only those in sight are there: a program may have thousands.
const { list, containerProps, wrapperProps } = useVirtualList(rows, {
  itemHeight: ROW,
  overscan: 10,
})
const selected = (index: number) => index >= programs.at && index < programs.at + programs.count
/** Selects a move, and goes to where it ends. */
function go(index: number) {
  programs.select(index)
  const span = programs.starts.get(index)
  if (span) when.goTo(span.end_s)
}
function clicked(index: number, e: MouseEvent) {
  if (!e.shiftKey || !programs.count) return go(index)
  const [a, b] = [Math.min(programs.at, index), Math.max(programs.at, index)]
  programs.select(a, b - a + 1)
}
function key(e: KeyboardEvent) {
  const by = { ArrowDown: 1, ArrowUp: -1 }[e.key]
  if (e.key === 'Delete') void programs.remove()
  else if (by && e.altKey) void programs.shift(by)
  else if (by) go(Math.max(0, Math.min(programs.moves.length - 1, programs.at + by)))
  else return
  e.preventDefault()
  e.stopPropagation()
}
const startOf = (index: number) => {
  const span = programs.starts.get(index)
  return span ? clock(span.start_s) : '–'
}
</script>

<template>
  <div
    v-bind="containerProps"
    class="moves"
    tabindex="0"
    role="listbox"
    aria-multiselectable="true"
    aria-label="Moves"
    data-test="moves"
    @keydown="key"
  >
    <div v-bind="wrapperProps">
      <div
        v-for="{ data } in list"
        :key="data.index"
        class="move"
        role="option"
        :aria-selected="selected(data.index)"
        :class="{ on: selected(data.index), fault: programs.fault?.index === data.index }"
        data-test="move"
        @click="clicked(data.index, $event)"
      >
        <span class="number soft">{{ data.index + 1 }}</span>
        <span class="said">{{ moveSaid(data.step, rules.nameOf) }}</span>
        <span class="number soft">{{ startOf(data.index) }}</span>
      </div>
    </div>
    <p v-if="!programs.moves.length" class="soft none">No moves yet.</p>
  </div>
</template>

<style scoped>
.moves {
  height: min(178px, 15vh);
  border: 1px solid var(--line);
  border-radius: 5px;
}
.move {
  display: grid;
  grid-template-columns: 34px minmax(0, 1fr) auto;
  gap: 6px;
  height: 22px;
  align-items: center;
  padding: 0 6px;
  cursor: pointer;
}
.move.on {
  background: var(--plum-tint);
}
.move.fault .said {
  color: rgb(var(--v-theme-error));
  font-weight: 700;
}
.said {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.none {
  padding: 8px;
}
</style>
