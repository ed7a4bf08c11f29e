<script setup lang="ts">
import { computed } from 'vue'

import { mdiAxisArrow, mdiRotateOrbit } from '@mdi/js'
import { useCell } from '../cell/cellStore'
import { useKeys } from '../settings/bindings'
import { type HandleMode } from '../what/heldStore'
import PoseFields from '../what/PoseFields.vue'
import ShiftFinder from '../what/ShiftFinder.vue'
import { type Step, type Target, usePrograms } from '../when/programStore'
import { useTarget } from '../when/targetStore'

/** The move that is selected, and the target it goes to. */
const programs = usePrograms()
const cell = useCell()
const taken = useTarget()
const keyOf = useKeys()

const one = computed(() => programs.one!)
const target = computed(() => taken.target)
const handles: { mode: HandleMode; icon: string }[] = [
  { mode: 'move', icon: mdiAxisArrow },
  { mode: 'turn', icon: mdiRotateOrbit },
]
/** The number that a move of its kind has, and its unit. */
const number = computed(() => {
  const step = one.value
  switch (step.move) {
    case 'joint':
      return { name: 'Speed', key: 'speed_percent', value: step.speed_percent, unit: '%' }
    case 'linear':
    case 'circular':
      return { name: 'Speed', key: 'speed_mm_s', value: step.speed_mm_s, unit: 'mm/s' }
    case 'wait':
      return { name: 'For', key: 'seconds', value: step.seconds, unit: 's' }
    default:
      return null
  }
})
function numberTyped(e: Event) {
  const field = e.target as HTMLInputElement
  const { key, value: was } = number.value!
  const value = Number(field.value.replace(',', '.'))
  if (value > 0) void programs.replace({ ...one.value, [key]: value } as Step)
  else field.value = String(was)
}
/** What a part may be taken with or set on: everything but what goes with it. */
const carriers = computed(() => {
  const step = one.value
  const own = new Set('item' in step ? cell.family(step.item) : [])
  return [...cell.items.values()].filter((i) => !own.has(i.id))
})
const parts = computed(() => [...cell.items.values()].filter((i) => i.role !== 'frame'))
/** The other item of a take or release, and what stands there without one. */
const other = computed(() => {
  const step = one.value
  if (step.move === 'take') return { key: 'by', name: 'with', value: step.by, none: 'the TCP' }
  if (step.move !== 'release') return null
  return { key: 'onto', name: 'onto', value: step.onto, none: 'nothing, it stays there' }
})
const chose = (key: string, e: Event) =>
  programs.replace({ ...one.value, [key]: (e.target as HTMLSelectElement).value || null } as Step)
function touchingTyped(e: Event) {
  const field = e.target as HTMLInputElement
  const touching_moves = Number(field.value)
  if (Number.isInteger(touching_moves) && touching_moves >= 0)
    void programs.replace({ ...one.value, touching_moves } as Step)
  else field.value = String((one.value as { touching_moves?: number }).touching_moves ?? 1)
}
const where = computed(() => {
  const frame = target.value?.frame
  return frame ? cell.items.get(frame)?.name : 'the world'
})
const set = (change: Partial<Target>) =>
  programs.change({ target: { ...target.value!, ...change } })
function renamed(e: Event) {
  const field = e.target as HTMLInputElement
  const [id, was] = [field.value.trim(), target.value!.id]
  if (id && id !== was) void programs.change({ rename_target: { target: was, id } })
  else field.value = was
}
</script>

<template>
  <div class="one" data-test="move-fields">
    <div class="line">
      <label v-if="number" class="soft"
        >{{ number.name }}
        <input
          class="number short"
          :value="number.value"
          :aria-label="`${number.name}, ${number.unit}`"
          data-test="move-speed"
          @change="numberTyped"
        />
        {{ number.unit }}</label
      >
      <button
        v-if="(one.move === 'joint' && one.to) || one.move === 'linear'"
        class="link"
        data-test="other-kind"
        @click="programs.otherKind"
      >
        Make it {{ one.move === 'linear' ? 'a joint move' : 'linear' }}
      </button>
    </div>
    <template v-if="other && 'item' in one">
      <div class="line">
        <label class="soft"
          >Part
          <select
            :value="one.item"
            aria-label="Part that is handled"
            data-test="move-part"
            @change="chose('item', $event)"
          >
            <option v-for="i in parts" :key="i.id" :value="i.id">{{ i.name }}</option>
          </select></label
        >
        <label class="soft"
          >{{ other.name }}
          <select
            :value="other.value ?? ''"
            :aria-label="`Handled ${other.name}`"
            data-test="move-other"
            @change="chose(other.key, $event)"
          >
            <option value="">{{ other.none }}</option>
            <option v-for="i in carriers" :key="i.id" :value="i.id">{{ i.name }}</option>
          </select></label
        >
      </div>
      <label class="soft"
        >They may touch for
        <input
          class="number short"
          :value="one.touching_moves ?? 1"
          aria-label="Moves before and after for which they may touch"
          data-test="move-touching"
          @change="touchingTyped"
        />
        moves before and after</label
      >
    </template>
    <template v-if="target">
      <div class="line">
        <span class="soft">Target</span>
        <input class="id" :value="target.id" aria-label="Name of the target" @change="renamed" />
        <span class="soft">in {{ where }}</span>
        <button
          class="link"
          title="Take the target to where the TCP is now"
          data-test="teach"
          @click="programs.teach(target)"
        >
          Take here
        </button>
      </div>
      <PoseFields
        :pose="target.pose"
        of="Target"
        test="target"
        steps
        @typed="set({ pose: $event })"
      />
      <div class="line">
        <button
          v-for="{ mode, icon } in handles"
          :key="mode"
          :aria-pressed="taken.handles === mode"
          :class="{ on: taken.handles === mode }"
          :title="`Handles to ${mode} the target (${keyOf(`target-${mode}`)})`"
          :aria-label="`Handles to ${mode} the target`"
          :data-test="`target-${mode}`"
          @click="taken.toggleHandles(mode)"
        >
          <v-icon :icon="icon" size="17" />
        </button>
        <label class="soft"
          >along
          <select v-model="taken.frame" aria-label="Along the axes of" data-test="target-along">
            <option value="parent">{{ where }}</option>
            <option v-if="target.frame" value="world">the world</option>
            <option value="own">its own axes</option>
          </select></label
        >
      </div>
      <ShiftFinder
        v-if="taken.named"
        :subject="{ target: taken.named }"
        :frame="taken.frame"
        @arrange="taken.arrange($event)"
      />
    </template>
  </div>
</template>

<style scoped>
.one {
  display: grid;
  gap: 4px;
}
.id {
  width: 70px;
  border-bottom: 1px solid var(--line);
}
</style>
