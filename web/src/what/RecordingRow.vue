<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import { type Chosen, type Found, useImport } from './importStore'
import { choiceOf } from './recordings'

/** A recorded motion in what is brought in: what it moves, and which column is which joint. */
const props = defineProps<{ found: Found }>()
const c = defineModel<Chosen>({ required: true })
const bringing = useImport()

type JointUnit = Schemas['JointUnit']
const recording = computed(() => props.found.recording!)
const choice = computed(() => c.value.recording)
const moved = computed(() => bringing.candidates.find((m) => m.robot === choice.value?.robot))
const columns = computed(() => recording.value.columns.map((column) => column.name))
const duration = computed(() => {
  const time = recording.value.columns[(choice.value ?? recording.value).time_column - 1]
  const unit = choice.value?.time_unit === 'ms' ? 1000 : 1
  return time ? ((time.high - time.low) / unit).toFixed(2) : '?'
})
const set = (change: Partial<Schemas['RecordingChoice']>) =>
  (c.value = { ...c.value, recording: { ...choice.value!, ...change } })
const valueOf = (e: Event) => (e.target as HTMLSelectElement).value
function robotChosen(e: Event) {
  const other = bringing.candidates.find((m) => m.robot === valueOf(e))
  if (other) c.value = { ...c.value, recording: choiceOf(recording.value, other) }
}
const timeChosen = (e: Event) => set({ time_column: Number(valueOf(e)) })
const timeUnitChosen = (e: Event) => set({ time_unit: valueOf(e) as Schemas['TimeUnit'] })
const columnOf = (joint: string) => choice.value?.joints.find((j) => j.joint === joint)?.column ?? 0
function columnChosen(joint: string, e: Event) {
  const column = Number(valueOf(e))
  const others = choice.value!.joints.filter((j) => j.joint !== joint)
  const turns = moved.value!.joints.find((j) => j.name === joint)!.turns
  const unit = unitOf(turns)
  const joints = column ? [...others, { joint, column, unit }] : others
  const order = moved.value!.joints.map((j) => j.name)
  set({ joints: joints.sort((a, b) => order.indexOf(a.joint) - order.indexOf(b.joint)) })
}
const isAngle = (unit: JointUnit) => unit === 'deg' || unit === 'rad'
const unitOf = (turns: boolean): JointUnit => {
  const known = choice.value?.joints.find((j) => isAngle(j.unit) === turns)?.unit
  return known ?? (turns ? recording.value.angle_unit : recording.value.length_unit)
}
function unitChosen(turns: boolean, e: Event) {
  const unit = valueOf(e) as JointUnit
  const joints = choice.value!.joints.map((j) => (isAngle(j.unit) === turns ? { ...j, unit } : j))
  set({ joints })
}
const has = (turns: boolean) => moved.value?.joints.some((j) => j.turns === turns)
/** What a column goes through. */
const goes = (column: number) => {
  const of = recording.value.columns[column - 1]
  const short = (x: number) => Number(x.toPrecision(4))
  return of ? `${short(of.low)} to ${short(of.high)}` : ''
}
</script>

<template>
  <tbody>
    <tr :class="{ off: !c.take }" data-test="found-recording">
      <td>
        <input
          v-model="c.take"
          type="checkbox"
          :disabled="!!found.problem"
          :aria-label="`Bring in ${c.name}`"
        />
      </td>
      <td><input v-model="c.name" class="name" aria-label="Name" :title="c.file" /></td>
      <td colspan="6">
        <span v-if="found.problem" class="problem" data-test="found-problem">{{
          found.problem
        }}</span>
        <div v-else class="line">
          <span class="soft"
            >Recorded motion, {{ recording.rows.toLocaleString('en') }} rows,
            <span class="number">{{ duration }}</span> s, moves</span
          >
          <select
            v-if="bringing.candidates.length"
            :value="choice?.robot"
            aria-label="What it moves"
            data-test="recording-robot"
            @change="robotChosen"
          >
            <option v-for="m in bringing.candidates" :key="m.robot" :value="m.robot">
              {{ m.name }}
            </option>
          </select>
          <b v-else>nothing: bring the robot in along with it, or first</b>
        </div>
      </td>
    </tr>
    <tr v-if="choice && moved && c.take" class="about">
      <td />
      <td colspan="7">
        <div class="line">
          <label class="soft"
            >Time
            <select
              :value="choice.time_column"
              data-test="recording-time"
              aria-label="Column of times"
              @change="timeChosen"
            >
              <option v-for="(name, i) in columns" :key="i" :value="i + 1">{{ name }}</option>
            </select></label
          >
          <label class="soft"
            >in
            <select
              :value="choice.time_unit"
              aria-label="Unit of times"
              data-test="recording-time-unit"
              @change="timeUnitChosen"
            >
              <option value="s">s</option>
              <option value="ms">ms</option>
            </select></label
          >
          <label v-if="has(true)" class="soft"
            >Angles in
            <select
              :value="unitOf(true)"
              aria-label="Unit of angles"
              data-test="recording-angles"
              @change="unitChosen(true, $event)"
            >
              <option value="deg">degrees</option>
              <option value="rad">radians</option>
            </select></label
          >
          <label v-if="has(false)" class="soft"
            >Lengths in
            <select
              :value="unitOf(false)"
              aria-label="Unit of lengths"
              @change="unitChosen(false, $event)"
            >
              <option value="mm">mm</option>
              <option value="m">m</option>
            </select></label
          >
        </div>
        <div class="joints">
          <label v-for="joint in moved.joints" :key="joint.name"
            ><span class="joint">{{ joint.name }}</span>
            <select
              :value="columnOf(joint.name)"
              :aria-label="`Column of ${joint.name}`"
              :data-test="`column-${joint.name}`"
              @change="columnChosen(joint.name, $event)"
            >
              <option :value="0">stays at rest</option>
              <option v-for="(name, i) in columns" :key="i" :value="i + 1">{{ name }}</option>
            </select>
            <span class="soft number">{{ goes(columnOf(joint.name)) }}</span></label
          >
        </div>
      </td>
    </tr>
  </tbody>
</template>

<style scoped>
td {
  padding: 3px 6px;
  vertical-align: baseline;
}
/* What is wrong with it stays readable. */
.off > td > :not(.problem) {
  opacity: 0.55;
}
.name {
  width: 100%;
  border-bottom: 1px solid var(--line);
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: baseline;
}
select {
  appearance: auto;
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0 3px;
  max-width: 170px;
  color: rgb(var(--v-theme-on-surface));
}
.joints {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(330px, 1fr));
  gap: 2px 18px;
  padding: 5px 0;
}
.joints label {
  display: grid;
  grid-template-columns: 90px 120px minmax(0, 1fr);
  gap: 6px;
  align-items: baseline;
}
.joint {
  overflow: hidden;
  text-overflow: ellipsis;
}
.problem {
  color: rgb(var(--v-theme-error));
}
</style>
