/** Mounts a component with what all of them need: a store, Vuetify, a router. */
import { mount } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import type { Component } from 'vue'
import { createMemoryHistory, createRouter } from 'vue-router'
import { createVuetify } from 'vuetify'

// Menus and dialogs look where the page is scrolled to; happy-dom has none.
globalThis.visualViewport ??= Object.assign(new EventTarget(), {
  width: 1280,
  height: 800,
  offsetLeft: 0,
  offsetTop: 0,
  scale: 1,
}) as unknown as VisualViewport

// Nor does it know what lies at a point.
document.elementsFromPoint ??= () => []

/** Stores are empty; fill them before mounting. */
export function freshStores() {
  const pinia = createPinia()
  setActivePinia(pinia)
  return pinia
}

export function mounted(
  component: Component,
  pinia: ReturnType<typeof createPinia>,
  props: Record<string, unknown> = {},
  provide: Record<symbol, unknown> = {},
) {
  const nowhere = { template: '<div />' }
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [{ path: '/', component: nowhere }],
  })
  const global = { plugins: [pinia, createVuetify(), router], provide }
  return mount(component, { props, global, attachTo: document.body })
}

/** An element by what tests call it. */
export const byTest = (name: string) => `[data-test=${name}]`
