import { createPinia, disposePinia, setActivePinia, type Pinia } from 'pinia'

let last: Pinia | undefined

/** Stores are empty, and those before no longer follow anything; fill them before mounting. */
export function freshStores(): Pinia {
  if (last) disposePinia(last)
  last = createPinia()
  setActivePinia(last)
  return last
}
