import { defineStore } from 'pinia'
import { ref } from 'vue'

/** A name that is asked for; `optional` where none is an answer too. */
export interface Naming {
  title: string
  name: string
  optional?: boolean
  done: (name: string) => unknown
}

/** The one name that is asked for at a time. */
export const useNaming = defineStore('naming', () => {
  const asked = ref<Naming | null>(null)
  return { asked }
})
