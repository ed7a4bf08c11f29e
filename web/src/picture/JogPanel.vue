<script setup lang="ts">
import { mdiAxisArrow, mdiRotateOrbit } from '@mdi/js'
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useNaming } from '../cell/namingStore'
import VerdictMark from '../findings/VerdictMark.vue'
import { useKeys } from '../settings/bindings'
import { useUnits } from '../settings/units'
import PoseFields from '../what/PoseFields.vue'
import UnitField from '../what/UnitField.vue'
import type { FrameChoice } from '../what/itemsStore'
import { useJog } from '../when/jogStore'
import FloatingPanel from './FloatingPanel.vue'

/** Joints and the TCP of a mechanism, moved by hand. */
const jog = useJog()
const cell = useCell()
const naming = useNaming()
const units = useUnits()
const keyOf = useKeys()

type Joint = Schemas['JointInfo']
/** What the slider goes through: whole degrees or mm where there are enough of them. */
const range = (joint: Joint) => {
  const most = joint.turns ? 180 : 1000
  const [low, high] = [joint.low ?? -most, joint.high ?? most]
  const whole = high - low > 10
  return whole
    ? { low: Math.ceil(low), high: Math.floor(high), step: 1 }
    : { low, high, step: (high - low) / 200 }
}
const kind = (joint: Joint) => (joint.turns ? 'angle' : 'length')
const shown = (joint: Joint, value: number) =>
  joint.turns ? units.angle(value) : units.length(value)
const limits = (joint: Joint) => {
  const { low, high } = joint
  if (low == null || high == null) return 'without limits'
  return `from ${shown(joint, low)} to ${shown(joint, high)}`
}
/** A joint within a hundredth of its range of a limit. */
const atLimit = (joint: Joint) => {
  const { low, high } = joint
  if (low == null || high == null) return false
  const value = jog.valueOf(joint.key)
  return Math.min(value - low, high - value) < (high - low) / 100
}

const tcp = computed(() => jog.answer?.tcp ?? null)
/** Frames of the cell that don't go with the mechanism. */
const frames = computed(() => {
  const own = new Set(cell.family(jog.item!))
  return [...cell.items.values()].filter((i) => i.role === 'frame' && !own.has(i.id)).slice(0, 300)
})
const frame = computed({
  get: () => (typeof jog.frame === 'string' ? jog.frame : `item:${jog.frame.item}`),
  set: (text: string) =>
    (jog.frame = text.startsWith('item:') ? { item: text.slice(5) } : (text as FrameChoice)),
})
function toggleHandles(mode: 'move' | 'turn') {
  jog.handles = jog.handles === mode ? null : mode
}
const told = (near: Schemas['NearPair']) => {
  const needs = `${near.a} – ${near.b}, needs ${units.short(near.required_mm)}`
  return near.may_touch ? `${needs}; may touch within limits: ${near.may_touch}` : needs
}
const keepPosture = () =>
  (naming.asked = { title: 'Name of the posture', name: 'home', done: jog.keepPosture })
const others = computed(() => tcp.value?.postures.filter((p) => !p.now) ?? [])
const now = computed(() => tcp.value?.postures.find((p) => p.now)?.name)
const chosen = (e: Event) => jog.begin((e.target as HTMLSelectElement).value)
const slid = (joint: Joint, e: Event) =>
  jog.set(joint.key, Number((e.target as HTMLInputElement).value))
</script>

<template>
  <FloatingPanel
    v-if="jog.open"
    name="Jog"
    side="right"
    :closing="`Close (${keyOf('jog')})`"
    data-test="jog"
    @close="jog.close"
  >
    <template #head>
      <select :value="jog.item" aria-label="Mechanism" data-test="jog-item" @change="chosen">
        <option v-for="m in jog.mechanisms" :key="m.id" :value="m.id">{{ m.name }}</option>
      </select>
    </template>
    <div class="joints">
      <template v-for="joint in jog.joints" :key="joint.key">
        <span class="name" :title="`${joint.name}, ${limits(joint)}`">{{ joint.name }}</span>
        <input
          type="range"
          :min="range(joint).low"
          :max="range(joint).high"
          :step="range(joint).step"
          :value="jog.valueOf(joint.key)"
          :aria-label="`${joint.name}, ${limits(joint)}`"
          :class="{ limit: atLimit(joint) }"
          :data-test="`slide-${joint.name}`"
          @input="slid(joint, $event)"
        />
        <UnitField
          :value="jog.valueOf(joint.key)"
          :kind="kind(joint)"
          :label="joint.name"
          steps
          :data-test="`joint-${joint.name}`"
          @typed="jog.set(joint.key, $event)"
        />
        <span class="soft sign">{{ joint.turns ? units.angleSign : units.sign }}</span>
      </template>
    </div>
    <template v-if="jog.tcp && tcp">
      <div class="line">
        <select v-model="jog.chosenTcp" aria-label="TCP" data-test="jog-tcp">
          <option v-if="!jog.chosenTcp" :value="null" disabled>
            {{ jog.tcps[0]?.name }}
          </option>
          <option v-for="t in jog.tcps" :key="t.id" :value="t.id">{{ t.name }}</option>
        </select>
        <span class="soft">in</span>
        <select v-model="frame" aria-label="Frame of the TCP" data-test="jog-frame">
          <option value="world">world</option>
          <option :value="`item:${jog.item}`">base</option>
          <option value="own">tool</option>
          <option v-for="f in frames" :key="f.id" :value="`item:${f.id}`">{{ f.name }}</option>
        </select>
        <button
          :aria-pressed="jog.handles === 'move'"
          :class="{ on: jog.handles === 'move' }"
          title="Handles to move the TCP"
          aria-label="Handles to move the TCP"
          data-test="jog-move"
          @click="toggleHandles('move')"
        >
          <v-icon :icon="mdiAxisArrow" size="17" />
        </button>
        <button
          :aria-pressed="jog.handles === 'turn'"
          :class="{ on: jog.handles === 'turn' }"
          title="Handles to turn the TCP"
          aria-label="Handles to turn the TCP"
          data-test="jog-turn"
          @click="toggleHandles('turn')"
        >
          <v-icon :icon="mdiRotateOrbit" size="17" />
        </button>
      </div>
      <PoseFields
        :pose="tcp.pose"
        of="TCP"
        test="tcp"
        steps
        :answered="jog.answer?.number"
        @typed="jog.reach($event)"
      />
      <p v-if="tcp.singular" class="warn" data-test="jog-singular">
        At a singularity: joints hurry where the TCP barely moves
      </p>
      <div v-if="others.length" class="list">
        <span class="soft">{{ now ? `Posture: ${now}` : 'Other ways to stand here' }}</span>
        <div class="ways">
          <button
            v-for="(posture, i) in others"
            :key="i"
            class="kept"
            title="Stand here that way, each joint by its shortest turn"
            data-test="jog-posture"
            @click="jog.take(posture.joints_deg_or_mm)"
          >
            {{ posture.name ?? `way ${i + 1}` }}
          </button>
        </div>
      </div>
    </template>
    <p v-if="jog.answer?.stopped || jog.refused" class="warn" role="alert" data-test="jog-stopped">
      {{ jog.refused || `Stopped: ${jog.answer?.stopped}` }}
    </p>
    <div v-if="jog.answer?.nearest.length" class="list" data-test="jog-nearest">
      <span class="soft">Nearest</span>
      <div v-for="near in jog.answer.nearest" :key="near.a + near.b" class="near">
        <VerdictMark :verdict="near.verdict" />
        <span class="pair" :title="told(near)">{{ near.a }} – {{ near.b }}</span>
        <span class="number">{{ units.length(near.distance_mm) }}</span>
      </div>
    </div>
    <footer>
      <button
        v-for="p in jog.postures"
        :key="p.name"
        :title="`Go to posture ${p.name}`"
        class="kept"
        @click="jog.goToPosture(p.name)"
      >
        {{ p.name }}
      </button>
      <button class="link" data-test="jog-keep-posture" @click="keepPosture">Keep posture…</button>
      <button
        class="link"
        :disabled="!jog.active"
        title="The cell starts with these joint values"
        data-test="jog-rest"
        @click="jog.keepAsRest"
      >
        Keep as rest
      </button>
      <button class="link" :disabled="!jog.active" data-test="jog-reset" @click="jog.reset">
        Put back
      </button>
    </footer>
  </FloatingPanel>
</template>

<style scoped>
footer {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  padding-top: 6px;
  border-top: 1px solid var(--line);
}
.joints {
  display: grid;
  grid-template-columns: minmax(36px, auto) minmax(0, 1fr) 66px auto;
  gap: 0 6px;
  align-items: center;
}
.name {
  max-width: 76px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
input[type='range'] {
  min-width: 0;
  width: 100%;
  height: 16px;
  accent-color: var(--accent);
}
.limit {
  accent-color: rgb(var(--v-theme-warning)) !important;
}
.sign {
  min-width: 16px;
}
.line select {
  flex: 1 1 0;
  min-width: 0;
}
.on {
  color: var(--accent);
}
.list {
  display: grid;
  gap: 2px;
}
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 3px;
}
.near {
  display: grid;
  grid-template-columns: 15px minmax(0, 1fr) auto;
  gap: 5px;
  align-items: center;
}
.pair {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.kept {
  padding: 1px 7px;
  border: 1px solid var(--line);
  border-radius: 9px;
}
.kept:hover {
  background: var(--accent-tint);
}
</style>
