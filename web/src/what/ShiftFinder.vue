<script setup lang="ts">
import { computed, onUnmounted, ref, shallowRef, watch } from 'vue'

import { answer, api, type Schemas } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useMoment } from '../cell/momentStore'
import { useUnits } from '../settings/units'
import type { Arrange, FrameChoice, Subject } from './itemsStore'

/** The smallest shift after which something keeps its rules. */
const props = defineProps<{
  subject: Subject
  /** Along whose axes. */
  frame: FrameChoice
}>()
const emit = defineEmits<{ arrange: [how: Arrange] }>()
const cell = useCell()
const moment = useMoment()
const units = useUnits()

const ways = {
  X: [0],
  Y: [1],
  Z: [2],
  'X and Y': [0, 1],
  'Y and Z': [1, 2],
  'X and Z': [0, 2],
} as const
/** Nothing is looked for farther away, mm. */
const MOST_MM = 500

const SMALLEST =
  'Certified: with it all its rules are kept; ' +
  'none shorter by a tenth of a millimetre along these ways does that'
const said = computed(() =>
  'target' in props.subject
    ? {
        meant:
          'The smallest shift after which the moves to and from it keep their rules, ' +
          'along axes of the frame above',
        keeps:
          'Certified: with it the moves to and from it keep their rules, ' +
          'and no other breaks one that did not before. A shorter one may do as well',
      }
    : {
        meant:
          'The smallest shift after which it keeps all its rules over the whole path, ' +
          'along axes of the frame above',
        keeps:
          'Certified: with it all its rules are kept. ' +
          'The programs move along, so that a shorter one may do as well',
      },
)

const way = ref<keyof typeof ways>('X and Y')
const found = shallowRef<Schemas['ShiftFound'] | null>(null)
const told = ref('')
const running = shallowRef<AbortController | null>(null)
const which = computed(() => JSON.stringify([props.subject, props.frame]))

function leave() {
  running.value?.abort()
  running.value = found.value = null
  told.value = ''
}
watch([which, way, () => cell.cell?.revision], leave)
onUnmounted(leave)

async function find() {
  leave()
  const mine = (running.value = new AbortController())
  const body = {
    ...props.subject,
    frame: props.frame,
    axes: [...ways[way.value]],
    most_mm: MOST_MM,
    time_s: moment.time,
  }
  const request = { params: { path: { id: cell.cell!.id } }, body, signal: mine.signal }
  const now = await answer(api.POST('/api/cells/{id}/smallest-shift', request)).catch(
    (e: Error) => e,
  )
  if (running.value !== mine) return
  running.value = null
  if (now instanceof Error) told.value = now.message
  else [found.value, told.value] = [now, now.said]
}
const by = computed(() => found.value?.by_mm?.map((mm) => units.number(mm)).join('  '))
function shift() {
  const by_mm = found.value!.by_mm!
  const by = { xyz_mm: by_mm, rpy_deg: [0, 0, 0] }
  emit('arrange', { shift: { frame: 'world', by, about_mm: null } })
}
</script>

<template>
  <div class="shift">
    <span class="line">
      <label :title="said.meant"
        ><span class="soft">Smallest shift along </span>
        <select v-model="way" aria-label="Along" data-test="shift-along">
          <option v-for="(_, name) in ways" :key="name">{{ name }}</option>
        </select></label
      >
      <button v-if="running" class="link" data-test="stop-shift" @click="leave">Stop</button>
      <button v-else class="link" data-test="find-shift" @click="find">Find</button>
    </span>
    <p v-if="running" class="soft" role="status">Looking…</p>
    <p v-if="told" class="soft" role="status" data-test="shift-said">{{ told }}</p>
    <p v-if="found?.length_mm" class="line" role="status" data-test="shift-found">
      <b class="number">{{ units.length(found.length_mm, 1) }}</b>
      <span class="soft number" title="In the world: x y z">{{ by }}</span>
      <button
        class="link"
        data-test="take-shift"
        :title="found.smallest ? SMALLEST : said.keeps"
        @click="shift"
      >
        Shift it
      </button>
    </p>
  </div>
</template>

<style scoped>
.shift {
  display: grid;
  gap: 2px;
  margin-bottom: 6px;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 8px;
  align-items: baseline;
}
select {
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0 3px;
  background: inherit;
  appearance: auto;
}
</style>
