<script setup lang="ts">
import { computed } from 'vue'

import { useNaming } from '../cell/namingStore'
import { useUnits } from '../settings/units'
import { clock } from '../when/whenStore'
import { told } from './known'
import { type Kept, mainValue, useKept } from './keptStore'
import VerdictMark from './VerdictMark.vue'

/** A kept finding: its number now, and what it was if that differs. */
const props = defineProps<{ kept: Kept }>()
const store = useKept()
const naming = useNaming()
const units = useUnits()

const finding = computed(() => props.kept.finding)
const main = computed(() => {
  const value = mainValue(props.kept)
  return value && told(value, units)
})
const was = computed(() => {
  const value = props.kept.finding.was?.[0]
  return value ? told(value, units).text : ''
})
const gone = computed(() => props.kept.now?.gone)
const changed = computed(() => !gone.value && props.kept.now?.changed)
/** Which numbers differ, if the first is the same. */
const differs = computed(() => {
  const now = props.kept.now?.now ?? []
  const old = props.kept.finding.was ?? []
  const texts = now.map((v) => told(v, units))
  return texts.filter((t, i) => !old[i] || told(old[i], units).text !== t.text).map((t) => t.name)
})
const goBack = computed(() => {
  const { time_s } = finding.value
  const at = time_s == null ? '' : `, ${clock(time_s)}`
  return `Go back to where it was kept${at}`
})
const rename = () =>
  (naming.asked = {
    title: 'Name of the finding',
    name: finding.value.name,
    done: (name) => store.rename(finding.value, name),
  })
const note = () =>
  (naming.asked = {
    title: 'Note',
    name: finding.value.note ?? '',
    optional: true,
    done: (text) => store.setNote(finding.value, text),
  })
</script>

<template>
  <article class="kept" :class="{ at: store.at === finding.id, gone }" data-test="kept-finding">
    <button class="what" :title="goBack" @click="store.show(finding)">
      <span class="name">{{ finding.name }}</span>
      <b v-if="main" class="number" :title="main.raw">{{ main.text }}</b>
    </button>
    <p v-if="gone" class="state" data-test="kept-gone">
      <VerdictMark verdict="not_certified" />
      <span>gone: {{ gone }}; this is what it was</span>
    </p>
    <p v-else-if="changed && main && was !== main.text" class="state" data-test="kept-changed">
      <span
        >was <span class="number">{{ was }}</span></span
      >
      <button class="link" title="Take the new number for what it was" @click="store.takeNow(kept)">
        Take the new
      </button>
    </p>
    <p v-else-if="changed && differs.length" class="state">
      <span>differs: {{ differs.join(', ') }}</span>
      <button class="link" title="Take the new numbers for what was" @click="store.takeNow(kept)">
        Take the new
      </button>
    </p>
    <p v-if="finding.note" class="note">{{ finding.note }}</p>
    <p class="row">
      <span class="soft number">{{ finding.time_s == null ? '' : clock(finding.time_s) }}</span>
      <button class="link" @click="rename">Rename</button>
      <button class="link" @click="note">Note</button>
      <button class="link" data-test="kept-delete" @click="store.remove(finding)">Delete</button>
    </p>
  </article>
</template>

<style scoped>
.kept {
  display: grid;
  gap: 2px;
  padding: 7px 9px;
  border: 1px solid var(--line);
  border-radius: 7px;
  background: var(--card);
  font-size: 12px;
}
.kept:hover {
  border-color: var(--accent);
}
.at {
  border-color: rgb(var(--v-theme-secondary));
}
.gone {
  border-style: dashed;
}
.what {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  align-items: baseline;
  text-align: left;
}
.name {
  font-weight: 600;
  overflow-wrap: anywhere;
}
.what b {
  white-space: nowrap;
  font-size: 14px;
}
.state {
  display: flex;
  flex-wrap: wrap;
  gap: 0 6px;
  align-items: baseline;
  color: rgb(var(--v-theme-warning));
}
.note {
  white-space: pre-wrap;
}
.row {
  display: flex;
  gap: 10px;
  align-items: baseline;
}
.row .number {
  flex: 1;
}
</style>
