/** Addresses: /cells/ID is a cell, all else the list. A page is loaded when it is gone to. */
import { createRouter, createWebHistory } from 'vue-router'

const anId = '[0-9a-f-]{36}'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'cells', component: () => import('./pages/CellList.vue') },
    {
      path: `/cells/:id(${anId})`,
      name: 'cell',
      component: () => import('./workspace/CellWorkspace.vue'),
      props: true,
    },
    { path: '/:else(.*)', redirect: () => ({ path: '/', query: {} }) },
  ],
})
