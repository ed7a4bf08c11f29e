<script setup lang="ts">
import {
  mdiArrowDown,
  mdiArrowUp,
  mdiContentDuplicate,
  mdiDeleteOutline,
  mdiPencilOutline,
  mdiPlus,
} from '@mdi/js'
import { computed, ref } from 'vue'

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
