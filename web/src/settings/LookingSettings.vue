<script setup lang="ts">
import { useSettings } from './settingsStore'

const settings = useSettings()
const pivots = {
  pointer: 'the point under the pointer',
  selection: 'the selection',
  middle: 'the middle of the view',
}
const doubles = {
  fit: 'fits the thing',
  pivot: 'turns about that point',
  'face-on': 'looks at that face square on',
  nothing: 'does nothing',
}
</script>

<template>
  <div class="form">
    <label
      >A turn turns about
      <select v-model="settings.looking.pivot" data-test="pivot-choice">
        <option v-for="(name, id) in pivots" :key="id" :value="id">{{ name }}</option>
      </select></label
    >
    <label
      >A double click
      <select v-model="settings.looking.doubleClick" data-test="double-click">
        <option v-for="(name, id) in doubles" :key="id" :value="id">{{ name }}</option>
      </select></label
    >
    <label
      ><input
        v-model="settings.looking.parallelForStandard"
        type="checkbox"
        data-test="parallel-standard"
      />
      Standard views are parallel</label
    >
    <label
      ><input v-model="settings.looking.wheelReversed" type="checkbox" data-test="wheel-reversed" />
      The wheel works the other way round</label
    >
    <label
      >A notch of the wheel comes nearer by
      <input
        v-model.number="settings.looking.wheelStep"
        type="range"
        min="4"
        max="50"
        aria-label="Wheel step, percent"
      />
      <b class="number">{{ settings.looking.wheelStep }} %</b></label
    >
    <label
      >Turning:
      <input
        v-model.number="settings.looking.turnSpeed"
        type="range"
        min="0.1"
        max="1"
        step="0.05"
        aria-label="Turning speed"
      />
      <b class="number">{{ (settings.looking.turnSpeed * 100).toFixed(0) }}°</b> for 100
      pixels</label
    >
    <label
      >Moving:
      <input
        v-model.number="settings.looking.moveSpeed"
        type="range"
        min="0.25"
        max="4"
        step="0.25"
        aria-label="Moving speed"
      />
      <b class="number">{{ settings.looking.moveSpeed }} ×</b> the pointer</label
    >
    <label
      >Eye height on foot
      <input
        v-model.number="settings.looking.eyeHeight_mm"
        class="number field"
        aria-label="Eye height, mm"
      />
      mm</label
    >
    <label
      ><input v-model="settings.looking.ghostRest" type="checkbox" /> Isolating ghosts the
      rest</label
    >
    <label
      ><input v-model="settings.looking.fine" type="checkbox" /> A picture at rest is drawn again,
      finer (without a graphics card)</label
    >
    <label
      >Lengths in
      <select v-model="settings.units.length" data-test="unit-length">
        <option value="mm">millimetres</option>
        <option value="cm">centimetres</option>
        <option value="m">metres</option>
        <option value="inch">inches</option></select
      >, angles in
      <select v-model="settings.units.angle" data-test="unit-angle">
        <option value="deg">degrees</option>
        <option value="rad">radians</option>
      </select></label
    >
    <label
      >Decimals of a millimetre
      <select v-model.number="settings.units.decimals" data-test="unit-decimals">
        <option v-for="n in [0, 1, 2, 3, 4]" :key="n" :value="n">{{ n }}</option>
      </select></label
    >
    <label
      >Theme
      <select v-model="settings.theme">
        <option value="system">as the system</option>
        <option value="light">light</option>
        <option value="dark">dark</option>
      </select></label
    >
  </div>
</template>

<style scoped>
.form {
  display: grid;
  gap: 12px;
  justify-items: start;
}
label {
  display: flex;
  align-items: center;
  gap: 8px;
}
select,
.field {
  border: 1px solid var(--line);
  border-radius: 5px;
  padding: 2px 6px;
  background: inherit;
  color: inherit;
  appearance: auto;
}
.field {
  width: 70px;
  text-align: right;
}
</style>
