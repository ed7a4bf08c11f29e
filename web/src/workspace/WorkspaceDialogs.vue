<script setup lang="ts">
import { defineAsyncComponent } from 'vue'

import { useActions } from '../actions/actionsStore'
import BindingSheet from '../actions/BindingSheet.vue'
import FindDialog from '../actions/FindDialog.vue'
import SettingsDialog from '../actions/SettingsDialog.vue'
import { useRules } from '../findings/rulesStore'
import ImportDialog from '../what/ImportDialog.vue'
import { useImport } from '../what/importStore'
import ItemDialogs from '../what/ItemDialogs.vue'
import ArmDialog from '../what/ArmDialog.vue'
import JointDialog from '../what/JointDialog.vue'
import ExportDialog from './ExportDialog.vue'
import NameDialog from './NameDialog.vue'
import NoticeBar from './NoticeBar.vue'

/** All that opens over the workspace. */
const emit = defineEmits<{ stored: [cell: string, items: string[]] }>()
const table = useActions()
const rules = useRules()
const RulesDialog = defineAsyncComponent(() => import('../findings/RulesDialog.vue'))
const bringing = useImport()
function chosenFiles(e: Event) {
  const input = e.target as HTMLInputElement
  void bringing.bring([...(input.files ?? [])].map((file) => ({ path: file.name, file })))
  input.value = ''
}
</script>

<template>
  <FindDialog :actions="table.list" />
  <SettingsDialog :actions="table.list" />
  <BindingSheet :actions="table.list" />
  <ExportDialog />
  <RulesDialog v-if="rules.open" />
  <NameDialog />
  <NoticeBar />
  <ItemDialogs />
  <JointDialog />
  <ArmDialog />
  <ImportDialog @stored="(...told) => emit('stored', ...told)" />
  <input
    id="files-to-bring"
    type="file"
    multiple
    class="away"
    tabindex="-1"
    aria-hidden="true"
    data-test="files-to-bring"
    @change="chosenFiles"
  />
</template>

<style scoped>
.away {
  position: absolute;
  width: 1px;
  height: 1px;
  opacity: 0;
  pointer-events: none;
}
</style>
