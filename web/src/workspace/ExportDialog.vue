<script setup lang="ts">
import { computed, reactive, ref } from 'vue'

import { useKeys } from '../settings/bindings'
import { useWhere } from '../where/whereStore'
import { useExport } from '../actions/exportStore'

const exporting = useExport()
const keyOf = useKeys()
const where = useWhere()
const size = reactive({ width: 1920, height: 1080 })
const rate = ref(25)
const annotated = ref(true)
const kind = ref<'png' | 'webm'>('webm')
const sizes = [
  [1280, 720],
  [1920, 1080],
  [3840, 2160],
  [7680, 4320],
] as const
const fault = computed(
  () =>
    exporting.sound(size) ??
    (exporting.open === 'tour' && !(rate.value >= 1 && rate.value <= 60)
      ? 'Between 1 and 60 pictures a second.'
      : null),
)
function asPane() {
  size.height = Math.round(size.width / where.pane.aspect)
}
function go() {
  const what = exporting.open
  exporting.open = null
  if (what === 'picture') void exporting.picture({ ...size }, annotated.value)
  else void exporting.film(kind.value, { ...size }, rate.value, annotated.value)
}
</script>

<template>
  <v-dialog
    :model-value="!!exporting.open"
    max-width="440"
    aria-label="Export"
    @update:model-value="exporting.open = null"
  >
    <v-card :title="exporting.open === 'tour' ? 'Export the tour' : 'Export a picture'">
      <v-card-text class="form">
        <div class="row">
          <button
            v-for="[w, h] in sizes"
            :key="w"
            class="chip"
            :class="{ on: size.width === w && size.height === h }"
            @click="Object.assign(size, { width: w, height: h })"
          >
            {{ w }} × {{ h }}</button
          ><button class="chip" @click="asPane">shape of the pane</button>
        </div>
        <div class="row">
          <input
            v-model.number="size.width"
            class="number"
            aria-label="Width, pixels"
            data-test="export-width"
          />
          ×
          <input
            v-model.number="size.height"
            class="number"
            aria-label="Height, pixels"
            data-test="export-height"
          />
          pixels
        </div>
        <template v-if="exporting.open === 'tour'">
          <div class="row">
            <input
              v-model.number="rate"
              class="number"
              aria-label="Pictures a second"
              data-test="export-rate"
            />
            pictures a second
          </div>
          <label
            ><input v-model="kind" type="radio" value="webm" data-test="export-webm" /> one film,
            WebM</label
          >
          <label
            ><input v-model="kind" type="radio" value="png" data-test="export-png" /> numbered
            pictures, PNG in a zip</label
          >
        </template>
        <label
          ><input v-model="annotated" type="checkbox" data-test="export-annotated" /> with frames
          and a line that says what is shown</label
        >
        <p v-if="fault" class="fault" role="alert" data-test="export-fault">{{ fault }}</p>
      </v-card-text>
      <v-card-actions
        ><v-spacer /><v-btn @click="exporting.open = null">Cancel</v-btn
        ><v-btn color="primary" :disabled="!!fault" data-test="export-go" @click="go"
          >Export</v-btn
        ></v-card-actions
      >
    </v-card>
  </v-dialog>
  <div v-if="exporting.job" class="job" role="status" data-test="export-job">
    Picture <span class="number">{{ exporting.job.done }}</span> of
    <span class="number">{{ exporting.job.total }}</span>
    <v-progress-linear
      :model-value="(100 * exporting.job.done) / exporting.job.total"
      color="primary"
      height="5"
      rounded
    />
    <button @click="exporting.stop">
      Stop <kbd>{{ keyOf('escape') }}</kbd>
    </button>
  </div>
</template>

<style scoped>
.form {
  display: grid;
  gap: 10px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.chip {
  padding: 1px 9px;
  border: 1px solid var(--line);
  border-radius: 10px;
}
.on {
  background: var(--accent-tint);
  color: var(--accent);
}
.row input {
  width: 64px;
  text-align: right;
  border-bottom: 1px solid var(--line);
}
.fault {
  color: rgb(var(--v-theme-error));
}
.job {
  position: fixed;
  z-index: 800;
  right: 20px;
  bottom: 40px;
  width: 240px;
  display: grid;
  gap: 6px;
  padding: 12px 16px;
  border-radius: 8px;
  background: rgb(var(--v-theme-surface));
  border: 1px solid var(--line);
}
.job button {
  color: var(--accent);
  font-weight: 600;
  justify-self: start;
}
</style>
