import { defineStore } from 'pinia'
import { ref } from 'vue'

/** What the server says of something, as a sentence of its own. */
export function sentence(said: string): string {
  const begun = `${said[0]?.toUpperCase() ?? ''}${said.slice(1)}`
  return /[.?!…]$/.test(begun) ? begun : `${begun}.`
}

/** What people are told, one sentence at a time, below everything else. */
export const useNotices = defineStore('notices', () => {
  const said = ref('')
  /** Tells it; an error in its own words. */
  const say = (what: unknown) => (said.value = what instanceof Error ? what.message : String(what))
  const clear = () => (said.value = '')
  return { said, say, clear }
})
