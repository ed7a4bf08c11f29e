<script setup lang="ts">
import { mdiClose } from '@mdi/js'
import { computed, ref } from 'vue'

import { useActions } from '../actions/actionsStore'
import { useCell } from '../cell/cellStore'
import { useFindings } from '../findings/findingsStore'
import { useImport } from '../what/importStore'
import { useJog } from '../when/jogStore'
import { usePrograms } from '../when/programStore'
import { useStandpoint } from '../where/standpointStore'

/** What a cell still lacks before its clearances can be certified; gone when nothing is lacking. */
const cell = useCell()
const findings = useFindings()
const bringing = useImport()
const actions = useActions()
const jog = useJog()
const programs = usePrograms()
const standpoint = useStandpoint()

const items = computed(() => [...cell.items.values()])
const moves = computed(() => (cell.cell?.joints.length ?? 0) > 0)
/** Bodies that don't hang on anything that moves. */
const surroundings = computed(() => {
  const withJoints = new Set((cell.cell?.joints ?? []).map((joint) => joint.item))
  const carried = new Set([...withJoints].flatMap((id) => cell.family(id)))
  return (cell.cell?.bodies ?? []).some((body) => !carried.has(body.item))
})
const run = (id: string) => () => actions.get(id).run()
const lacking = computed(() => {
  const document = cell.cell?.document
  const all = [
    {
      id: 'robot',
      name: 'A robot',
      there: moves.value,
      how: 'Drop its URDF with the meshes, or type its datasheet’s table',
      action: 'From a table…',
      run: run('robot-table'),
    },
    {
      id: 'surroundings',
      name: 'Surroundings',
      there: surroundings.value,
      how: 'Drop fixtures, tables, fences: STL, OBJ, PLY, COLLADA, glTF',
      action: 'Bring files in…',
      run: run('bring'),
    },
    {
      id: 'motion',
      name: 'A motion',
      there: !!document?.run_plan?.lanes?.length,
      how: 'Drop a recorded trajectory (CSV, JSON), or make a program',
      action: 'Programs',
      run: run('programs'),
    },
    {
      id: 'rule',
      name: 'A rule',
      there: !!document?.rules?.length,
      how: 'What is to keep clear of what, and by how much',
      action: 'Rules',
      run: run('rules'),
    },
  ]
  return all.filter((part) => !part.there)
})
/** Cells of which it is not to be said any more. */
const dismissed = ref(new Set<string>())
const busy = computed(
  () => bringing.open || jog.open || programs.open || standpoint.mode !== null || !!findings.shown,
)
const shown = computed(() => {
  const id = cell.cell?.id
  if (!id || busy.value || dismissed.value.has(id)) return false
  // A missing rule alone is said among the findings.
  return lacking.value.some((part) => part.id !== 'rule')
})
const dismiss = () => (dismissed.value = new Set([...dismissed.value, cell.cell!.id]))
</script>

<template>
  <section v-if="shown" class="lacking" aria-label="What is missing" data-test="lacking">
    <button class="close" title="Say no more of it" aria-label="Say no more of it" @click="dismiss">
      <v-icon :icon="mdiClose" size="15" />
    </button>
    <b>{{ items.length ? 'Still missing' : 'An empty cell. It needs:' }}</b>
    <div v-for="part in lacking" :key="part.id" class="part" :data-test="`lacking-${part.id}`">
      <b>{{ part.name }}</b>
      <span class="soft">{{ part.how }}</span>
      <button class="link" @click="part.run">{{ part.action }}</button>
    </div>
  </section>
</template>

<style scoped>
.lacking {
  position: absolute;
  right: 12px;
  bottom: 34px;
  width: 300px;
  max-width: calc(100% - 24px);
  display: grid;
  gap: 6px;
  padding: 8px 12px 10px;
  font-size: 12px;
  border: 1px solid var(--line);
  border-radius: 8px;
  background: rgb(var(--v-theme-surface));
}
.part {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 0 8px;
}
.part .soft {
  grid-column: 1 / 3;
  grid-row: 2;
}
.close {
  position: absolute;
  right: 8px;
  top: 6px;
}
</style>
