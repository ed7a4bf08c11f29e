import { defineStore } from 'pinia'
import { ref } from 'vue'

/** What people are told, one sentence at a time, below everything else. */
export const useNotices = defineStore('notices', () => {
  const said = ref('')
  /** Tells it; an error in its own words. */
  const say = (what: unknown) => (said.value = what instanceof Error ? what.message : String(what))
  const clear = () => (said.value = '')
  return { said, say, clear }
})
