<script setup lang="ts">
import { mdiDeleteOutline, mdiPencilOutline } from '@mdi/js'
import { computed } from 'vue'

import { useCell } from '../cell/cellStore'
import { useNaming } from '../cell/namingStore'
import { usePrograms } from '../when/programStore'

/** The name of a program, what is written of it, and its end. */
const programs = usePrograms()
const cell = useCell()
const naming = useNaming()

function rename() {
  const name = programs.program!.name
  naming.asked = { title: 'Rename the program', name, done: programs.rename }
}
/** What is written of the program, and where: joint values along the path, and targets. */
const written = computed(() => {
  const { robot, id, tcp } = programs.program!
  const base = `/api/cells/${cell.cell!.id}`
  const joints = `${base}/trajectory?item=${encodeURIComponent(robot)}`
  const targets = `${base}/targets?program=${encodeURIComponent(id)}`
  const all = [
    { id: 'trajectory', name: 'joints', title: 'Joint values along the path', at: joints },
  ]
  if (tcp) all.push({ id: 'targets', name: 'targets', title: 'Its targets', at: targets })
  return all
})
</script>

<template>
  <div class="line">
    <button title="Rename the program" aria-label="Rename the program" @click="rename">
      <v-icon :icon="mdiPencilOutline" size="15" />
    </button>
    <template v-for="out in written" :key="out.id">
      <span class="soft">{{ out.name }}</span>
      <a
        v-for="format in ['csv', 'json']"
        :key="format"
        class="link"
        :href="`${out.at}&format=${format}`"
        download
        :title="`${out.title} as ${format.toUpperCase()}`"
        :aria-label="`${out.title} as ${format.toUpperCase()}`"
        :data-test="`${out.id}-${format}`"
        >{{ format.toUpperCase() }}</a
      >
    </template>
    <span class="grow" />
    <button
      title="Delete the program"
      aria-label="Delete the program"
      data-test="program-delete"
      @click="programs.drop"
    >
      <v-icon :icon="mdiDeleteOutline" size="15" />
    </button>
  </div>
</template>

<style scoped>
.grow {
  flex: 1;
}
</style>
