<script setup lang="ts">
import { computed, ref } from 'vue'

import { useWhere } from '../where/whereStore'

const props = defineProps<{ index: number; small: boolean }>()
const where = useWhere()
const RAD = Math.PI / 180
const R = 46
const ARC = 40
const notches = [0, 45, 90, 135, 180, -135, -90, -45]
const heights = [
  { at: 90, name: 'top' },
  { at: 35.264, name: 'isometric' },
  { at: 0, name: 'level' },
  { at: -90, name: 'bottom' },
]
const bearingName: Record<number, string> = {
  0: 'front',
  45: 'front right',
  90: 'right',
  135: 'back right',
  180: 'back',
  [-135]: 'back left',
  [-90]: 'left',
  [-45]: 'front left',
}

/** On the floor ring, seen from above with the front below. */
const ring = (bearing: number, r: number) =>
  [60 + r * Math.sin(bearing * RAD), 60 + r * Math.cos(bearing * RAD)] as const
/** On the arc: level to the right, top above. */
const arc = (elevation: number, r: number) =>
  [138 + r * Math.cos(elevation * RAD), 60 - r * Math.sin(elevation * RAD)] as const

const v = computed(() => where.panes[props.index]!.viewpoint)
const knob = computed(() => ring(v.value.bearing_deg, R))
const lift = computed(() => arc(v.value.elevation_deg, ARC))
const wedge = computed(() => {
  const half = 16
  const [a, b] = [ring(v.value.bearing_deg - half, R - 4), ring(v.value.bearing_deg + half, R - 4)]
  return `M60 60 L${a} A${R - 4} ${R - 4} 0 0 0 ${b} Z`
})
const onNotch = computed(() =>
  notches.some((n) => Math.abs(((v.value.bearing_deg - n + 540) % 360) - 180) < 0.005),
)
const onHeight = computed(() => heights.some((h) => Math.abs(v.value.elevation_deg - h.at) < 0.005))

const svg = ref<SVGSVGElement>()
let dragging: 'bearing' | 'elevation' | null = null
function grab(what: 'bearing' | 'elevation', e: PointerEvent) {
  dragging = what
  where.active = props.index
  where.remember()
  ;(e.currentTarget as Element).setPointerCapture(e.pointerId)
  turn(e)
}
function turn(e: PointerEvent) {
  if (!dragging) return
  const box = svg.value!.getBoundingClientRect()
  const [x, y] = [
    ((e.clientX - box.left) / box.width) * 196,
    ((e.clientY - box.top) / box.height) * 120,
  ]
  const next = { ...v.value }
  if (dragging === 'bearing') next.bearing_deg = Math.atan2(x - 60, y - 60) / RAD
  else
    next.elevation_deg = Math.max(-90, Math.min(90, Math.atan2(60 - y, Math.max(0, x - 138)) / RAD))
  where.move(next, props.index)
}
function typed(which: 'bearing_deg' | 'elevation_deg', e: Event) {
  const field = e.target as HTMLInputElement
  const value = Number.parseFloat(field.value.replace(',', '.'))
  // What is no number goes back to what is in force.
  field.value = `${shown(v.value[which])}°`
  if (Number.isFinite(value)) {
    const to = { ...v.value, [which]: value }
    turnTo(to.bearing_deg, Math.max(-90, Math.min(90, to.elevation_deg)))
  }
  field.blur()
}
const turnTo = (bearing: number, elevation: number) => {
  where.active = props.index
  where.turnTo(bearing, elevation, props.index)
}
const step = (bearing: number, elevation: number) => where.step(bearing, elevation, props.index)
const shown = (x: number) =>
  Math.abs(x - Math.round(x)) < 0.05 ? String(Math.round(x)) : x.toFixed(1)
</script>

<template>
  <div class="dial" :class="{ small }" role="group" aria-label="Bearing dial">
    <svg ref="svg" viewBox="0 0 196 120" width="196" height="120">
      <circle cx="60" cy="60" :r="R" class="plate" />
      <path :d="wedge" class="wedge" />
      <rect x="46" y="50" width="28" height="18" class="cellmark" />
      <path d="M55 68 h10 l-5 6 z" class="front" />
      <circle
        cx="60"
        cy="60"
        :r="R"
        class="track"
        role="slider"
        tabindex="0"
        aria-label="Bearing"
        aria-valuemin="-180"
        aria-valuemax="180"
        :aria-valuenow="v.bearing_deg"
        data-test="dial-ring"
        @pointerdown="grab('bearing', $event)"
        @pointermove="turn"
        @pointerup="dragging = null"
        @keydown.left.prevent="step(-1, 0)"
        @keydown.right.prevent="step(1, 0)"
      />
      <g
        v-for="n in notches"
        :key="n"
        class="notch"
        role="button"
        tabindex="-1"
        :aria-label="`Stand at ${bearingName[n]}`"
        :data-test="`notch-${n}`"
        @click="turnTo(n, v.elevation_deg)"
      >
        <title>Stand at {{ bearingName[n] }} ({{ n }}°)</title>
        <line
          :x1="ring(n, R + 2)[0]"
          :y1="ring(n, R + 2)[1]"
          :x2="ring(n, R + (n % 90 ? 6 : 10))[0]"
          :y2="ring(n, R + (n % 90 ? 6 : 10))[1]"
        />
        <circle :cx="ring(n, R + 7)[0]" :cy="ring(n, R + 7)[1]" r="7" class="hit" />
      </g>
      <circle :cx="knob[0]" :cy="knob[1]" r="6" class="knob" :class="{ off: !onNotch }" />
      <path
        :d="`M${arc(-90, ARC)} A${ARC} ${ARC} 0 0 0 ${arc(90, ARC)} h-6 q-22 ${ARC} 0 ${2 * ARC} Z`"
        class="plate"
        style="stroke: none"
      />
      <path :d="`M${arc(-90, ARC)} A${ARC} ${ARC} 0 0 0 ${arc(90, ARC)}`" class="rim" />
      <path
        :d="`M${arc(-90, ARC)} A${ARC} ${ARC} 0 0 0 ${arc(90, ARC)}`"
        class="track"
        role="slider"
        tabindex="0"
        aria-label="Elevation"
        aria-valuemin="-90"
        aria-valuemax="90"
        :aria-valuenow="v.elevation_deg"
        data-test="dial-arc"
        @pointerdown="grab('elevation', $event)"
        @pointermove="turn"
        @pointerup="dragging = null"
        @keydown.up.prevent="step(0, 1)"
        @keydown.down.prevent="step(0, -1)"
      />
      <g
        v-for="h in heights"
        :key="h.at"
        class="notch"
        role="button"
        tabindex="-1"
        :aria-label="`Elevation ${h.name}`"
        :data-test="`height-${h.name}`"
        @click="turnTo(v.bearing_deg, h.at)"
      >
        <title>{{ h.name }} ({{ h.at }}°)</title>
        <line
          :x1="arc(h.at, ARC + 2)[0]"
          :y1="arc(h.at, ARC + 2)[1]"
          :x2="arc(h.at, ARC + 9)[0]"
          :y2="arc(h.at, ARC + 9)[1]"
        />
        <circle :cx="arc(h.at, ARC + 7)[0]" :cy="arc(h.at, ARC + 7)[1]" r="7" class="hit" />
      </g>
      <circle :cx="lift[0]" :cy="lift[1]" r="6" class="knob" :class="{ off: !onHeight }" />
    </svg>
    <label class="typed bearing"
      ><input
        class="number"
        :value="`${shown(v.bearing_deg)}°`"
        aria-label="Bearing, degrees"
        data-test="bearing"
        @change="typed('bearing_deg', $event)"
    /></label>
    <label class="typed elevation"
      ><input
        class="number"
        :value="`${shown(v.elevation_deg)}°`"
        aria-label="Elevation, degrees"
        data-test="elevation"
        @change="typed('elevation_deg', $event)"
    /></label>
  </div>
</template>

<style scoped>
.dial {
  position: absolute;
  left: 10px;
  bottom: 10px;
  width: 196px;
  height: 120px;
  user-select: none;
  transform-origin: 0 100%;
}
.small {
  scale: 0.72;
}
.plate {
  fill: color-mix(in srgb, rgb(var(--v-theme-surface)) 82%, transparent);
  stroke: var(--line);
}
.wedge {
  fill: var(--accent-tint);
}
.cellmark {
  fill: none;
  stroke: var(--accent);
  stroke-width: 1.4;
}
.front {
  fill: var(--accent);
}
.track {
  fill: none;
  stroke: transparent;
  stroke-width: 16;
  cursor: grab;
  pointer-events: stroke;
}
.track:focus-visible {
  outline: none;
  stroke: var(--accent-tint);
}
.rim {
  fill: none;
  stroke: var(--soft);
  stroke-width: 1.2;
}
.notch line {
  stroke: rgb(var(--v-theme-on-background));
  stroke-width: 1.6;
}
.notch .hit {
  fill: transparent;
  cursor: pointer;
}
.notch:hover line {
  stroke: var(--accent);
  stroke-width: 3;
}
.knob {
  fill: var(--accent);
  stroke: rgb(var(--v-theme-surface));
  stroke-width: 2;
  pointer-events: none;
}
.knob.off {
  fill: rgb(var(--v-theme-surface));
  stroke: var(--accent);
}
.typed input {
  position: absolute;
  width: 46px;
  text-align: center;
  font-size: 12px;
  border-radius: 4px;
  color: rgb(var(--v-theme-on-background));
}
.typed input:hover,
.typed input:focus {
  background: rgb(var(--v-theme-surface));
}
.bearing input {
  left: 123px;
  top: 36px;
}
.elevation input {
  left: 123px;
  top: 60px;
}
/* As large as others on the page. */
.small .typed input {
  min-height: 34px;
}
.small .bearing input {
  top: 27px;
}
.small .elevation input {
  top: 61px;
}
</style>
