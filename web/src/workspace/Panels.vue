<script setup lang="ts">
import 'splitpanes/dist/splitpanes.css'

import { Pane, Splitpanes } from 'splitpanes'
import { computed, onMounted, ref, watch } from 'vue'

import { useSettings } from '../settings/settingsStore'

/** The roster, the picture, the findings and what lies below, with splitters between. */
const props = defineProps<{ below: boolean }>()
const settings = useSettings()

interface Resized {
  panes: { size: number }[]
}
function resizedAcross({ panes }: Resized) {
  const { roster, findings: found } = settings.panels
  if (roster) settings.panels.rosterWidth = panes[0]!.size
  if (found) settings.panels.findingsWidth = panes.at(-1)!.size
}
function resizedDown({ panes }: Resized) {
  if (panes.length > 1) settings.panels.pathHeight = panes[1]!.size
}
const middle = computed(
  () =>
    100 -
    (settings.panels.roster ? settings.panels.rosterWidth : 0) -
    (settings.panels.findings ? settings.panels.findingsWidth : 0),
)

/** What assistive technology is told of the splitters: what they part, and where they stand. */
const panels = ref<InstanceType<typeof Splitpanes>>()
const parted = computed(() => {
  const { roster, findings, rosterWidth, findingsWidth, pathHeight } = settings.panels
  return [
    ...(roster ? [{ name: 'Width of the roster', now: rosterWidth }] : []),
    ...(findings ? [{ name: 'Width of the findings', now: 100 - findingsWidth }] : []),
    ...(props.below ? [{ name: 'Height of the picture', now: 100 - pathHeight }] : []),
  ]
})
function tell() {
  const splitters = (panels.value?.$el as HTMLElement | undefined)?.querySelectorAll(
    '[role=separator]',
  )
  splitters?.forEach((splitter, i) => {
    const { name, now } = parted.value[i] ?? { name: 'Splitter', now: 50 }
    splitter.setAttribute('aria-label', name)
    splitter.setAttribute('aria-valuemin', '0')
    splitter.setAttribute('aria-valuemax', '100')
    splitter.setAttribute('aria-valuenow', now.toFixed(0))
  })
}
onMounted(tell)
watch(parted, tell, { flush: 'post' })
</script>

<template>
  <Splitpanes
    ref="panels"
    horizontal
    class="panels"
    :dbl-click-splitter="false"
    @resized="resizedDown"
  >
    <Pane :size="below ? 100 - settings.panels.pathHeight : 100" min-size="30">
      <Splitpanes :dbl-click-splitter="false" @resized="resizedAcross">
        <Pane v-if="settings.panels.roster" :size="settings.panels.rosterWidth" min-size="10">
          <slot name="roster" />
        </Pane>
        <Pane :size="middle" min-size="25"><slot /></Pane>
        <Pane v-if="settings.panels.findings" :size="settings.panels.findingsWidth" min-size="12">
          <slot name="findings" />
        </Pane>
      </Splitpanes>
    </Pane>
    <Pane v-if="below" :size="settings.panels.pathHeight" min-size="10">
      <slot name="below" />
    </Pane>
  </Splitpanes>
</template>

<style scoped>
.panels {
  height: 100%;
  min-height: 0;
}
.panels :deep(.splitpanes__splitter) {
  position: relative;
  background: var(--line);
  flex: none;
}
.panels :deep(.splitpanes__splitter::after) {
  content: '';
  position: absolute;
  z-index: 5;
  inset: -3px;
}
.panels :deep(.splitpanes__splitter:hover) {
  background: var(--accent);
}
.panels :deep(.splitpanes--vertical > .splitpanes__splitter) {
  width: 1px;
  cursor: col-resize;
}
.panels.splitpanes--horizontal > :deep(.splitpanes__splitter) {
  height: 1px;
  cursor: row-resize;
}
.panels :deep(.splitpanes__pane) {
  transition: none !important;
}
</style>
