<script setup lang="ts">
import { computed } from 'vue'

import { useCell } from '../cell/cellStore'
import { useNaming } from '../cell/namingStore'
import { useKeys } from '../settings/bindings'
import { useJog } from '../when/jogStore'
import { usePrograms } from '../when/programStore'
import AddMoves from './AddMoves.vue'
import FloatingPanel from './FloatingPanel.vue'
import MoveFields from './MoveFields.vue'
import MoveList from './MoveList.vue'
import ProgramFiles from './ProgramFiles.vue'

/** The programs of robots, move by move. */
const programs = usePrograms()
const cell = useCell()
const jog = useJog()
const naming = useNaming()
const keyOf = useKeys()

const tcps = computed(() => {
  const robot = programs.program?.robot
  const carried = robot ? cell.family(robot).map((id) => cell.items.get(id)!) : []
  return carried.filter((i) => i.role === 'frame' && i.id !== robot)
})
const valueOf = (e: Event) => (e.target as HTMLSelectElement | HTMLInputElement).value
const chosen = (e: Event) => (programs.chosen = valueOf(e))
const tcpChosen = (e: Event) => programs.takeTcp(valueOf(e) || null)
/** Begins a program of a mechanism: asks for its name. */
function begin(e: Event) {
  const select = e.target as HTMLSelectElement
  const robot = select.value
  select.value = ''
  if (!robot) return
  const name = `${cell.items.get(robot)?.name} program`
  const done = (name: string) => programs.begin(robot, name)
  naming.asked = { title: 'Name of the program', name, done }
}
/** When its lane begins, s, to the millisecond. */
const startsAt = computed(() => {
  const { place, lanes } = programs
  return Number(((place && lanes[place.lane]!.start_s) ?? 0).toFixed(3))
})
function started(e: Event) {
  const field = e.target as HTMLInputElement
  const value = Number(field.value.replace(',', '.'))
  if (field.value.trim() && value >= 0) void programs.startAt(value)
  else field.value = String(startsAt.value)
}
</script>

<template>
  <FloatingPanel
    v-if="programs.open"
    name="Programs"
    side="left"
    :closing="`Close (${keyOf('programs')})`"
    data-test="programs"
    @close="programs.toggle"
  >
    <template #head>
      <select
        v-if="programs.program"
        class="which"
        :value="programs.program.id"
        aria-label="Program"
        data-test="program"
        @change="chosen"
      >
        <option v-for="p in programs.all" :key="p.id" :value="p.id">
          {{ cell.items.get(p.robot)?.name }}: {{ p.name }}
        </option>
      </select>
      <select aria-label="New program" title="New program of…" class="new" @change="begin">
        <option value="">New…</option>
        <option v-for="m in jog.mechanisms" :key="m.id" :value="m.id">{{ m.name }}</option>
      </select>
    </template>
    <p v-if="!programs.program" class="soft">
      Nothing runs yet. Choose what is to move under “New…”, jog it ({{ keyOf('jog') }}) and add
      moves to where it is; or drop a recorded motion on the page.
    </p>
    <template v-else>
      <div class="line">
        <span class="soft">TCP</span>
        <select
          :value="programs.program.tcp ?? ''"
          aria-label="TCP of the program"
          @change="tcpChosen"
        >
          <option value="">none, joint values</option>
          <option v-for="t in tcps" :key="t.id" :value="t.id">{{ t.name }}</option>
        </select>
        <label class="soft"
          >from
          <input
            class="number short"
            :value="startsAt"
            aria-label="When its lane begins, s"
            @change="started"
          />
          s</label
        >
      </div>
      <ProgramFiles />
      <MoveList />
      <p v-if="programs.fault" class="warn" role="alert" data-test="program-fault">
        Move {{ programs.fault.index + 1 }} can’t be driven: {{ programs.fault.reason }}
        <button
          v-if="programs.fault.begins_elsewhere"
          class="link"
          title="A joint move to the first row of the recording, before it"
          data-test="lead-in"
          @click="programs.goThereFirst"
        >
          Go there first
        </button>
      </p>
      <AddMoves />
      <MoveFields v-if="programs.one" />
    </template>
  </FloatingPanel>
</template>

<style scoped>
.which {
  flex: 1;
}
.new {
  width: 62px;
}
</style>
