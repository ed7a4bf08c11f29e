<script setup lang="ts">
import { mdiDotsVertical, mdiPlus } from '@mdi/js'
import { computed } from 'vue'

import { useItems } from './itemsStore'
import { useWhat } from './whatStore'
import { useNaming } from '../cell/namingStore'

/** Visibility sets: ticked ones alone are shown. */
const what = useWhat()
const items = useItems()
const naming = useNaming()
const some = computed(() => what.selected.size > 0)
const save = () =>
  (naming.asked = {
    title: 'Name of the set',
    name: `Set ${items.sets.length + 1}`,
    done: (name) => items.saveSet(name),
  })
type Set_ = (typeof items.sets)[number]
const rename = (set: Set_) =>
  (naming.asked = {
    title: 'Rename the set',
    name: set.name,
    done: (name) => items.saveSet(name, set.items, set.id),
  })
const add = (set: Set_) =>
  items.saveSet(set.name, [...new Set([...set.items, ...what.selected])], set.id)
const takeOut = (set: Set_) =>
  items.saveSet(
    set.name,
    set.items.filter((i) => !what.selected.has(i)),
    set.id,
  )
</script>

<template>
  <div v-if="items.sets.length || some" class="sets" role="group" aria-label="Visibility sets">
    <span
      v-for="set in items.sets"
      :key="set.id"
      class="set"
      :class="{ on: what.sets.has(set.id) }"
    >
      <button
        :aria-pressed="what.sets.has(set.id)"
        :title="
          what.sets.has(set.id)
            ? 'Shown alone, with other ticked sets; click to untick'
            : 'Show only this, and other ticked sets'
        "
        data-test="set"
        @click="what.toggleSet(set.id)"
      >
        {{ set.name }} <span class="number soft">{{ set.items.length }}</span>
      </button>
      <v-menu>
        <template #activator="{ props }"
          ><button
            v-bind="props"
            class="more"
            :aria-label="`What can be done with ${set.name}`"
            data-test="set-more"
          >
            <v-icon :icon="mdiDotsVertical" size="13" /></button
        ></template>
        <v-list role="menu">
          <v-list-item
            role="menuitem"
            title="Select what is in it"
            @click="what.selected = new Set(set.items)"
          />
          <v-list-item
            role="menuitem"
            title="Add the selection"
            :disabled="!some"
            @click="add(set)"
          />
          <v-list-item
            role="menuitem"
            title="Take the selection out"
            :disabled="!some"
            @click="takeOut(set)"
          />
          <v-list-item role="menuitem" title="Rename" @click="rename(set)" />
          <v-list-item
            role="menuitem"
            title="Delete"
            data-test="set-delete"
            @click="items.deleteSet(set.id)"
          />
        </v-list>
      </v-menu>
    </span>
    <button
      v-if="some"
      class="new"
      title="Keep the selection as a visibility set"
      data-test="set-new"
      @click="save"
    >
      <v-icon :icon="mdiPlus" size="13" />Set
    </button>
  </div>
</template>

<style scoped>
.sets {
  display: contents;
  font-size: 12px;
}
.set {
  display: inline-flex;
  align-items: center;
  border: 1px solid var(--line);
  border-radius: 10px;
  padding-left: 8px;
  max-width: 100%;
}
.set.on {
  background: var(--accent-tint);
  border-color: var(--accent);
  font-weight: 650;
}
.more {
  padding: 0 3px;
  opacity: 0.6;
}
.new {
  display: inline-flex;
  align-items: center;
  color: var(--accent);
  padding: 0 6px;
  font-weight: 600;
}
</style>
