import { defineStore } from 'pinia'
import { computed, ref } from 'vue'

/** The instant of the path that is looked at; playing goes on in `when/`. */
export const useMoment = defineStore('moment', () => {
  const time = ref(0)
  const playing = ref(false)
  /** The same, less often while it plays: for what takes a moment to answer. */
  const shownTime = computed(() => (playing.value ? Math.round(time.value * 10) / 10 : time.value))
  return { time, playing, shownTime }
})
