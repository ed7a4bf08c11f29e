import { usePreferredDark, useStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref } from 'vue'

/** What a person likes; kept in the browser. */
export const useSettings = defineStore('settings', () => {
  const theme = useStorage<'system' | 'light' | 'dark'>('selvik.theme', 'system')
  const prefersDark = usePreferredDark()
  const dark = computed(() => (theme.value === 'system' ? prefersDark.value : theme.value === 'dark'))
  const finding = ref(false)
  const toggleDark = () => (theme.value = dark.value ? 'light' : 'dark')
  return { theme, dark, finding, toggleDark }
})
