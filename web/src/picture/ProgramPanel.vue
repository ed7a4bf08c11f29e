<script setup lang="ts">
import { mdiArrowDown, mdiArrowUp, mdiContentDuplicate, mdiDeleteOutline, mdiPlus } from '@mdi/js'
import { computed } from 'vue'

import { useCell } from '../cell/cellStore'
import { useNaming } from '../cell/namingStore'
import { useKeys } from '../settings/bindings'
import { useJog } from '../when/jogStore'
import { usePrograms } from '../when/programStore'
import FloatingPanel from './FloatingPanel.vue'
import MoveFields from './MoveFields.vue'
import MoveList from './MoveList.vue'

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
function rename() {
  const name = programs.program!.name
  naming.asked = { title: 'Rename the program', name, done: programs.rename }
}
/** Where the joint values of the mechanism along the path are written. */
const trajectory = (format: string) => {
  const item = encodeURIComponent(programs.program!.robot)
  return `/api/cells/${cell.cell!.id}/trajectory?item=${item}&format=${format}`
}
/** Moves that are added less often. */
const others = computed<Record<string, () => unknown>>(() => ({
  ...(programs.program?.tcp && { [circular.value]: programs.addCircular }),
  Take: programs.addTake,
  Release: programs.addRelease,
  Wait: programs.addWait,
  'Sync mark': addSync,
}))
const circular = computed(() => (programs.via ? 'Circular: ends here' : 'Circular: goes over here'))
function add(e: Event) {
  const select = e.target as HTMLSelectElement
  void others.value[select.value]?.()
  select.value = ''
}
const addSync = () =>
  (naming.asked = { title: 'Name of the mark', name: 'together', done: programs.addSync })

function started(e: Event) {
  const value = Number(valueOf(e))
  if (value >= 0) void programs.startAt(value)
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
            :value="programs.place ? (programs.lanes[programs.place.lane]!.start_s ?? 0) : 0"
            aria-label="When its lane begins, s"
            @change="started"
          />
          s</label
        >
      </div>
      <div class="line">
        <span class="soft">Program</span>
        <button class="link" @click="rename">Rename</button>
        <span class="soft">its joints as</span>
        <a
          v-for="format in ['csv', 'json']"
          :key="format"
          class="link"
          :href="trajectory(format)"
          download
          :title="`Joint values along the path as ${format.toUpperCase()}`"
          :data-test="`trajectory-${format}`"
          >{{ format.toUpperCase() }}</a
        >
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
      <MoveList />
      <p v-if="programs.fault" class="warn" role="alert" data-test="program-fault">
        Move {{ programs.fault.index + 1 }} can’t be driven: {{ programs.fault.reason }}
      </p>
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
          v-if="programs.program.tcp"
          class="link"
          title="A straight move to where the TCP is now"
          data-test="add-linear"
          @click="programs.addHere('linear')"
        >
          Linear here
        </button>
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
.grow {
  flex: 1;
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
