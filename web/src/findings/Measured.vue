<script setup lang="ts">
import { computed } from 'vue'

import { useCell } from '../cell/cellStore'
import { useNotices } from '../cell/noticesStore'
import { useKeys } from '../settings/bindings'
import { useUnits } from '../settings/units'
import { clock, useWhen } from '../when/whenStore'
import { asText } from './asText'
import MeasuredBetween from './MeasuredBetween.vue'
import MeasuredChain from './MeasuredChain.vue'
import { headline, letter, told } from './known'
import MeasuredValues from './MeasuredValues.vue'
import PickChoice from './PickChoice.vue'
import KeptList from './KeptList.vue'
import { useKept } from './keptStore'
import { useMeasure } from './measureStore'
import NearestList from './NearestList.vue'
import { useSeries } from './seriesStore'

const cell = useCell()
const kept = useKept()
const measure = useMeasure()
const notices = useNotices()
const series = useSeries()
const units = useUnits()
const when = useWhen()
const keyOf = useKeys()

const frames = computed(() => cell.cell?.document.items.filter((i) => i.role === 'frame') ?? [])
const known = computed(() => measure.measured?.known ?? [])
/** Two places to begin with; a chain has as many as it has links. */
const places = computed(() => [...Array(Math.max(2, measure.picks.length)).keys()])
const isRefused = computed(() => measure.refused && measure.picks.length)

async function copy() {
  const text = asText(measure.measured!, units, clock(when.time))
  try {
    await navigator.clipboard.writeText(text)
    notices.say('Copied as text.')
  } catch {
    notices.say('The browser does not let the page copy.')
  }
}
</script>

<template>
  <div class="measure">
    <div class="row">
      <v-btn
        :color="measure.picking ? 'primary' : undefined"
        :aria-pressed="measure.picking"
        :title="`Measure (${keyOf('measure')})`"
        data-test="measure"
        @click="measure.toggle"
        >{{ measure.picking ? 'Picking…' : 'Pick' }}</v-btn
      >
      <template v-if="measure.picks.length">
        <button
          v-if="measure.picks.length === 2"
          class="link"
          title="First and second change places"
          @click="measure.swap"
        >
          Swap
        </button>
        <button class="link" data-test="measure-clear" @click="measure.clear">Clear</button>
        <template v-if="measure.measured">
          <button class="link" data-test="measure-copy" title="Copy as text" @click="copy">
            Copy
          </button>
          <button
            class="link"
            data-test="measure-keep"
            :title="`Keep as a finding (${keyOf('keep-finding')})`"
            @click="kept.keepMeasured"
          >
            Keep
          </button>
          <button
            v-if="measure.picks.length < 3 && when.duration"
            class="link"
            :aria-pressed="!!series.followed"
            title="How it changes along the path, on the strip below"
            data-test="measure-along"
            @click="series.followMeasured"
          >
            Along the path
          </button>
        </template>
      </template>
    </div>
    <p v-if="!measure.picks.length" class="soft hint" data-test="measure-empty">
      Pick one thing in the picture to see all that is known of it, a second to see what lies
      between them: a corner, an edge, a face, with <kbd>Shift</kbd> the whole item, with
      <kbd>Alt</kbd> just that spot. With <kbd>Ctrl</kbd> each further one is a link of a chain. Or
      choose:
    </p>
    <p v-if="isRefused" class="refused" role="alert" data-test="measure-refused">
      {{ measure.refused }}
    </p>

    <MeasuredBetween v-if="measure.measured?.between" :between="measure.measured.between" />
    <MeasuredChain v-if="measure.measured?.chain" :chain="measure.measured.chain" />

    <section v-for="index in places" :key="index" class="thing">
      <template v-if="measure.picks.length > index">
        <header>
          <b class="which">{{ letter(index) }}</b>
          <span v-if="known[index]" class="what" :data-test="`known-${index}`">
            <b>{{ headline(known[index], units) }}</b>
            <span class="soft">{{ known[index].of }}</span>
          </span>
          <button
            class="link"
            :title="`Take ${letter(index)} away`"
            :aria-label="`Take ${letter(index)} away`"
            @click="measure.remove(index)"
          >
            ×
          </button>
        </header>
        <MeasuredValues
          v-if="known[index] && measure.picks.length < 3"
          :values="known[index].values.map((v) => told(v, units))"
        />
      </template>
      <PickChoice v-else-if="measure.picks.length === index" :index="index" />
    </section>

    <NearestList v-if="measure.picks.length === 1 && measure.measured" />

    <div v-if="measure.picks.length" class="row">
      <label class="frame"
        >Coordinates of
        <select v-model="measure.frame" aria-label="Coordinates of" data-test="measure-frame">
          <option :value="null">the world</option>
          <option v-for="f in frames" :key="f.id" :value="f.id">{{ f.name }}</option>
        </select></label
      >
    </div>
    <p v-if="measure.picks.length" class="soft">
      At {{ clock(when.time) }}; follows the play head.
    </p>
    <KeptList />
  </div>
</template>

<style scoped>
.measure {
  display: grid;
  gap: 8px;
  padding: 2px 4px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: center;
}
.hint {
  font-size: 12px;
}
.refused {
  color: rgb(var(--v-theme-error));
}
.thing {
  display: grid;
  gap: 3px;
}
header {
  display: flex;
  gap: 7px;
  align-items: baseline;
}
.which {
  flex: none;
  width: 18px;
  text-align: center;
  border-radius: 9px;
  font-size: 11px;
  color: rgb(var(--v-theme-surface));
  background: var(--plum);
}
.what {
  flex: 1;
  display: flex;
  flex-wrap: wrap;
  gap: 0 7px;
}
.frame {
  display: flex;
  gap: 6px;
  align-items: center;
  min-width: 0;
  flex: 1;
  font-size: 12px;
}
.measure :deep(select) {
  min-width: 0;
}
</style>
