<script setup lang="ts">
import { computed } from 'vue'

import { useCell } from '../cell/cellStore'
import { useUnits } from '../settings/units'
import { useWhat } from '../what/whatStore'
import { clock } from '../when/whenStore'
import { directions, useAccess } from './accessStore'
import AccessPlaces from './AccessPlaces.vue'
import { useMeasure } from './measureStore'

/** What can be seen, or come to with a slender tool, from where, and what is in the way. */
const access = useAccess()
const cell = useCell()
const measure = useMeasure()
const units = useUnits()
const what = useWhat()

const views = computed(() => cell.cell?.document.views ?? [])
const programs = computed(() => cell.cell?.document.programs ?? [])
const places = computed(() => measure.picks.filter((p) => p.kind !== 'item'))
const chosen = computed(() => [...what.selected].map((id) => cell.items.get(id)?.name ?? id))
/** What would be judged, in words. */
const judged = computed(() => {
  const all = access.from === 'own' ? [] : chosen.value.slice(0, 3)
  if (chosen.value.length > 3 && all.length) all.push(`${chosen.value.length - 3} more`)
  if (places.value.length) all.push('what is picked')
  return all
})
const question = computed(() =>
  access.rod.diameter_mm ? 'What can be reached?' : 'What can be seen?',
)
const nothing = computed(() => !judged.value.length && !access.program)

const faces = computed(() => access.found?.faces)
const share = (mm2: number) => {
  const { free_mm2, blocked_mm2, away_mm2 } = faces.value!
  return `${((100 * mm2) / Math.max(free_mm2 + blocked_mm2 + away_mm2, 1e-9)).toFixed(1)} %`
}
const rows = computed(() =>
  faces.value
    ? [
        { kind: 'free', name: 'free', mm2: faces.value.free_mm2 },
        { kind: 'blocked', name: 'blocked', mm2: faces.value.blocked_mm2 },
        { kind: 'away', name: 'turned away', mm2: faces.value.away_mm2 },
      ]
    : [],
)
const fields = [
  { key: 'diameter_mm', name: 'Ø' },
  { key: 'length_mm', name: 'long' },
  { key: 'tip_mm', name: 'tip' },
] as const
function setRod(key: (typeof fields)[number]['key'], e: Event) {
  const field = e.target as HTMLInputElement
  const to = units.lengthTyped(field.value, access.rod[key])
  if (to !== null && to >= 0) access.rod[key] = to
  field.value = units.shortNumber(access.rod[key])
}
const value = (e: Event) => (e.target as HTMLSelectElement).value
</script>

<template>
  <div class="access">
    <div class="row">
      <label
        >From
        <select v-model="access.from" aria-label="From where" data-test="access-from">
          <option value="view">this view</option>
          <option v-for="v in views" :key="v.id" :value="`saved ${v.id}`">
            {{ v.name }}
          </option>
          <option v-for="(_, side) in directions" :key="side" :value="side">{{ side }}</option>
          <option value="own">each place’s own direction</option>
        </select></label
      >
      <label
        >targets of
        <select
          :value="access.program ?? ''"
          aria-label="Targets of"
          data-test="access-program"
          @change="access.program = value($event) || null"
        >
          <option value="">no program</option>
          <option v-for="p in programs" :key="p.id" :value="p.id">{{ p.name }}</option>
        </select></label
      >
    </div>
    <div class="row" title="A tool with round ends; without a diameter, a line of sight">
      <label v-for="f in fields" :key="f.key"
        >{{ f.name }}
        <input
          class="number"
          :disabled="f.key !== 'diameter_mm' && !access.rod.diameter_mm"
          :value="units.shortNumber(access.rod[f.key])"
          :aria-label="`Tool, ${f.name}, ${units.sign.value}`"
          :data-test="`access-${f.key}`"
          @change="setRod(f.key, $event)"
        />
      </label>
      <span class="soft">{{
        access.rod.diameter_mm
          ? `${units.sign.value}, a tool`
          : `${units.sign.value}: line of sight`
      }}</span>
    </div>
    <label
      ><input v-model="access.robotsCount" type="checkbox" /> robots and what they carry are in the
      way</label
    >
    <div class="row">
      <v-btn
        color="primary"
        :disabled="access.looking || nothing"
        data-test="access-look"
        @click="access.look"
        >{{ access.looking ? 'Looking…' : question }}</v-btn
      >
      <button
        class="link"
        :disabled="!places.length || access.looking"
        title="From which directions the first place that is picked is free"
        data-test="access-cone"
        @click="access.findCone"
      >
        Free cone
      </button>
      <button v-if="access.found || access.cone" class="link" @click="access.forget">Clear</button>
    </div>
    <p class="soft" data-test="access-judged">
      <template v-if="judged.length">Of {{ judged.join(', ') }}.</template>
      <template v-else
        >Select items to see which of their faces can be seen from there; pick places with Measure,
        or choose a program for its targets.</template
      >
    </p>

    <p v-if="(access.found || access.cone) && !access.isNow" class="stale" data-test="access-stale">
      Found before something moved or was changed: look again.
    </p>
    <p v-if="access.cone" class="answer" data-test="access-cone-found">
      <template v-if="access.cone.axis"
        >Free within <b class="number">{{ units.angle(access.cone.half_angle_deg, 1) }}</b> of the
        line drawn, certainly; {{ access.cone.free_percent.toFixed(0) }} % of
        {{ access.cone.tried }} directions are free.</template
      >
      <template v-else>No direction is free.</template>
    </p>

    <section v-if="faces" class="figures" aria-label="Faces" data-test="access-faces">
      <div v-for="r in rows" :key="r.kind" class="line">
        <i :class="r.kind" /><span>{{ r.name }}</span
        ><b class="number" :data-test="`access-${r.kind}`">{{ share(r.mm2) }}</b
        ><span class="soft number">{{ units.area(r.mm2) }}</span>
      </div>
      <p class="soft" data-test="access-of">
        {{ access.foundOf }}, by the middles of {{ faces.pieces }} pieces, at
        {{ clock(access.foundAt) }}.
      </p>
      <template v-if="faces.blocked_by.length">
        <p class="soft">In the way:</p>
        <button
          v-for="b in faces.blocked_by"
          :key="b.name"
          class="line by"
          data-test="access-by"
          title="Select it"
          @click="what.select(b.item)"
        >
          <span /><span>{{ b.name }}</span
          ><b class="number">{{ share(b.area_mm2) }}</b>
        </button>
      </template>
    </section>
    <AccessPlaces v-if="access.found?.points.length" :points="access.found.points" />
  </div>
</template>

<style scoped>
.access {
  display: grid;
  gap: 7px;
  padding: 2px 4px;
  font-size: 12px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: center;
}
select {
  max-width: 150px;
}
input.number {
  width: 46px;
  text-align: right;
  border-bottom: 1px solid var(--line);
}
.line {
  display: grid;
  grid-template-columns: 14px minmax(0, 1fr) auto 78px;
  gap: 6px;
  align-items: center;
  text-align: left;
}
.line .soft {
  text-align: right;
}
.by:hover {
  color: var(--accent);
}
i {
  width: 12px;
  height: 12px;
  border: 1px solid var(--soft);
}
i.free {
  background: color-mix(in srgb, var(--accent) 60%, transparent);
}
i.blocked {
  background: color-mix(in srgb, rgb(var(--v-theme-error)) 60%, transparent);
}
.stale {
  color: rgb(var(--v-theme-warning));
}
</style>
