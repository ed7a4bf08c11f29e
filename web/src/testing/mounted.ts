/** Mounts a component with what all of them need: a store, Vuetify, a router. */
import { mount, type VueWrapper } from '@vue/test-utils'
import type { Pinia } from 'pinia'
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

export function mounted(
  component: Component,
  pinia: Pinia,
  props: Record<string, unknown> = {},
  provide: Record<symbol, unknown> = {},
) {
  const nowhere = { template: '<div />' }
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: '/', component: nowhere },
      { path: '/cells/:id', name: 'cell', component: nowhere },
    ],
  })
  const global = { plugins: [pinia, createVuetify(), router], provide }
  const wrapper = mount(component, { props, global, attachTo: document.body })
  inPage.push(wrapper)
  return wrapper
}

const inPage: VueWrapper[] = []

/** Takes all that was mounted out of the page. */
export const unmountAll = () => inPage.splice(0).forEach((wrapper) => wrapper.unmount())

/** An element by what tests call it. */
export const byTest = (name: string) => `[data-test=${name}]`
