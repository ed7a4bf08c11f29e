<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { ref, watchEffect } from 'vue'
import { useTheme } from 'vuetify'

import CellList from './pages/CellList.vue'
import CellWorkspace from './workspace/CellWorkspace.vue'
import { useSettings } from './settings/settingsStore'

const settings = useSettings()
const theme = useTheme()
watchEffect(() => theme.change(settings.dark ? 'dark' : 'light'))

/** The address bar says what is open: /cells/ID, or the list. */
const place = ref(location.pathname)
const cellId = () => /^\/cells\/([0-9a-f-]{36})$/.exec(place.value)?.[1]
useEventListener(window, 'popstate', () => (place.value = location.pathname))
function go(path: string) {
  history.pushState(null, '', path)
  place.value = path
}
</script>

<template>
  <v-app>
    <CellWorkspace
      v-if="cellId()"
      :id="cellId()!"
      :key="cellId()"
      @leave="go('/')"
      @open="(id) => go(`/cells/${id}`)"
    />
    <CellList v-else @open="(id) => go(`/cells/${id}`)" />
  </v-app>
</template>
