import { defineStore } from 'pinia'
import { shallowRef } from 'vue'

/** The keys in force, by action. The table of actions, which stands above, fills it. */
export const useBindings = defineStore('bindings', () => {
  const inForce = shallowRef<ReadonlyMap<string, string>>(new Map())
  return { inForce }
})

/** The key in force of an action, as people read it; '' for none. */
export function useKeys(): (id: string) => string {
  const bindings = useBindings()
  return (id) => readable(bindings.inForce.get(id) ?? '')
}

/** The binding of a key event, as the table writes it. */
export function bindingOf(e: KeyboardEvent): string {
  const letter = e.key.length === 1 ? e.key.toUpperCase() : e.key
  const digit = /^Digit\d$/.test(e.code) && e.altKey ? e.code.slice(5) : letter
  const shift = e.shiftKey && (letter.length > 1 || letter !== letter.toLowerCase())
  return [(e.ctrlKey || e.metaKey) && 'Ctrl', e.altKey && 'Alt', shift && 'Shift', digit]
    .filter(Boolean)
    .join('+')
}

/** A binding as people read it. */
export function readable(key: string): string {
  const names: Record<string, string> = {
    ' ': 'Space',
    ArrowLeft: '←',
    ArrowRight: '→',
    ArrowUp: '↑',
    ArrowDown: '↓',
    Escape: 'Esc',
  }
  return key === '+'
    ? key
    : key
        .split('+')
        .map((k) => names[k] ?? k)
        .join('+')
}
