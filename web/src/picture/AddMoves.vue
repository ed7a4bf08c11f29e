<script setup lang="ts">
import { mdiArrowDown, mdiArrowUp, mdiContentDuplicate, mdiDeleteOutline, mdiPlus } from '@mdi/js'
import { computed, ref } from 'vue'

import { useNaming } from '../cell/namingStore'
import { usePrograms } from '../when/programStore'

/** Moves that are added to a program, and what is done with those that are selected. */
const programs = usePrograms()
const naming = useNaming()

/** Moves that are added less often. */
const others = computed<Record<string, () => unknown>>(() => ({
  ...(programs.program?.tcp && {
    [circular.value]: programs.addCircular,
    'Targets from a CSV file…': () => chooser.value!.click(),
  }),
  Take: programs.addTake,
  Release: programs.addRelease,
  Wait: programs.addWait,
  'Sync mark': addSync,
}))
const circular = computed(() => (programs.via ? 'Circular: ends here' : 'Circular: goes over here'))
/** Asks for a file of targets. */
const chooser = ref<HTMLInputElement>()
async function chose(e: Event) {
  const input = e.target as HTMLInputElement
  const [file] = input.files ?? []
  if (file) await programs.bringTargets(file.name, await file.text())
  input.value = ''
}
function add(e: Event) {
  const select = e.target as HTMLSelectElement
  void others.value[select.value]?.()
  select.value = ''
}
const addSync = () =>
  (naming.asked = { title: 'Name of the mark', name: 'together', done: programs.addSync })
</script>

<template>
  <p v-if="programs.via" class="soft">
    The circle goes over here. Go to where it ends, then choose “Circular: ends here”.
    <button class="link" @click="programs.via = null">Leave it</button>
  </p>
  <div class="line">
    <v-icon :icon="mdiPlus" size="15" />
    <button
      class="link"
      title="A joint move to where it is now"
      data-test="add-joint"
      @click="programs.addHere('joint')"
    >
      Joint here
    </button>
    <button
      v-if="programs.program?.tcp"
      class="link"
      title="A straight move to where the TCP is now"
      data-test="add-linear"
      @click="programs.addHere('linear')"
    >
      Linear here
    </button>
    <input
      ref="chooser"
      type="file"
      accept=".csv,.txt"
      class="chooser"
      aria-label="CSV file of targets"
      tabindex="-1"
      data-test="targets-file"
      @change="chose"
    />
    <select class="new" aria-label="Other moves" data-test="add-other" @change="add">
      <option value="">More…</option>
      <option v-for="(_, name) in others" :key="name">{{ name }}</option>
    </select>
    <span class="tools">
      <button
        v-for="[icon, name, run] in [
          [mdiArrowUp, 'Earlier', () => programs.shift(-1)],
          [mdiArrowDown, 'Later', () => programs.shift(1)],
          [mdiContentDuplicate, 'Duplicate', programs.duplicate],
          [mdiDeleteOutline, 'Delete the moves', programs.remove],
        ] as const"
        :key="name"
        :title="name"
        :aria-label="name"
        :disabled="!programs.count"
        @click="run()"
      >
        <v-icon :icon="icon" size="15" />
      </button>
    </span>
  </div>
</template>

<style scoped>
.new {
  width: 62px;
}
.chooser {
  display: none;
}
.tools {
  display: flex;
  gap: 2px;
  margin-left: auto;
}
button:disabled {
  color: var(--soft);
  opacity: 0.5;
  cursor: default;
}
</style>
