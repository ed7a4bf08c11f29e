<script setup lang="ts">
import { watchEffect } from 'vue'
import { useTheme } from 'vuetify'

import { useSettings } from './settings/settingsStore'

const settings = useSettings()
const theme = useTheme()
watchEffect(() => theme.change(settings.dark ? 'dark' : 'light'))
</script>

<template>
  <v-app>
    <RouterView v-slot="{ Component, route }">
      <component :is="Component" :key="route.path" />
    </RouterView>
  </v-app>
</template>
