<script setup lang="ts">
import { computed } from 'vue'

import { useCell } from '../cell/cellStore'
import PoseFields from '../what/PoseFields.vue'
import { type Step, type Target, usePrograms } from '../when/programStore'

/** The move that is selected, and the target it goes to. */
const programs = usePrograms()
const cell = useCell()

const one = computed(() => programs.one!)
const target = computed(() => {
  const step = one.value
  return 'to' in step && step.to ? programs.targets.get(step.to) : undefined
})
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
