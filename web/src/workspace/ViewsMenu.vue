<script setup lang="ts">
import { mdiChevronDown } from '@mdi/js'
import { computed, ref } from 'vue'

import type { Action } from '../actions/action'
import type { SavedView, ViewPart } from '../api/client'
import { useTours } from '../where/tourStore'
import { useThumbnails } from '../picture/thumbnails'
import { useViews, viewParts } from '../where/viewsStore'
import { useNaming } from '../cell/namingStore'

const props = defineProps<{ actions: Action[] }>()
const views = useViews()
const naming = useNaming()
const tours = useTours()
const thumbnails = useThumbnails()
const open = ref(false)
const words = ref('')
const editing = ref<string | null>(null)
const fits = (view: SavedView) =>
  words.value
    .toLowerCase()
    .split(/\s+/)
    .every((w) => `${view.name} ${view.group ?? ''}`.toLowerCase().includes(w))
const digit = (view: SavedView) => props.actions.find((a) => a.id === `recall-${view.id}`)?.key
const place = (view: SavedView) => views.views.indexOf(view)
const groupNames = computed(() => views.groups.flatMap(([g]) => (g ? [g] : [])))

function opened(now: boolean) {
  editing.value = null
  if (now) void thumbnails.draw()
}
function rename(view: SavedView) {
  naming.asked = { title: 'Rename view', name: view.name, done: (name) => views.rename(view, name) }
}
function group(view: SavedView) {
  naming.asked = {
    title: 'List it under',
    name: view.group ?? '',
    optional: true,
    done: (name) => views.moveTo(view, place(view), name || null),
  }
}
function tick(view: SavedView, part: ViewPart, on: boolean) {
  const keeps = views.keepsOf(view).filter((k) => k !== part)
  void views.setKeeps(view, on ? [...keeps, part] : keeps)
}
function save() {
  open.value = false
  void props.actions.find((a) => a.id === 'save-view')!.run()
}
function openTour(id: string) {
  open.value = false
  tours.open(id)
}
function newTour() {
  open.value = false
  naming.asked = {
    title: 'Name of the tour',
    name: `Tour ${tours.tours.length + 1}`,
    done: tours.create,
  }
}
let carried: SavedView | null = null
function drop(onto: SavedView) {
  if (carried && carried !== onto) void views.moveTo(carried, place(onto), onto.group ?? null)
  carried = null
}
</script>

<template>
  <v-menu v-model="open" :close-on-content-click="false" @update:model-value="opened">
    <template #activator="{ props: menu }">
      <v-btn
        v-bind="menu"
        :append-icon="mdiChevronDown"
        title="Saved views and tours"
        data-test="views"
        >Views</v-btn
      >
    </template>
    <div class="views" role="dialog" aria-label="Saved views and tours" data-test="view-list">
      <div class="head">
        <input v-model="words" placeholder="Find a view" aria-label="Find a saved view" />
        <button class="main" data-test="save-view" @click="save">Save this view…</button>
      </div>
      <div class="list">
        <template v-for="[name, list] in views.groups" :key="name ?? ''">
          <h2 v-if="name" class="heading">{{ name }}</h2>
          <div
            v-for="view in list.filter(fits)"
            :key="view.id"
            class="view"
            :class="{ on: views.recalled === view.id }"
            draggable="true"
            :data-test="`saved-${place(view)}`"
            @dragstart="carried = view"
            @dragover.prevent
            @drop.prevent="drop(view)"
          >
            <button class="open" :title="`Recall ${view.name}`" @click="views.recall(view)">
              <img
                v-if="thumbnails.of(view)"
                :src="thumbnails.of(view)"
                width="84"
                height="52"
                alt=""
              /><span v-else class="blank" />
              <span class="name"
                >{{ view.name
                }}<small v-if="views.opening === view.id" class="soft"> opening view</small></span
              >
              <kbd v-if="digit(view)">{{ digit(view) }}</kbd>
            </button>
            <button
              class="more"
              :aria-label="`What to do with ${view.name}`"
              :aria-expanded="editing === view.id"
              :data-test="`more-${place(view)}`"
              @click="editing = editing === view.id ? null : view.id"
            >
              ⋯
            </button>
            <div v-if="editing === view.id" class="edit">
              <button data-test="view-update" @click="views.update(view)">
                Update from picture
              </button>
              <button data-test="view-rename" @click="rename(view)">Rename</button>
              <button data-test="view-duplicate" @click="views.duplicate(view)">Duplicate</button>
              <button
                :disabled="place(view) === 0"
                data-test="view-up"
                @click="views.moveTo(view, place(view) - 1)"
              >
                Up
              </button>
              <button
                :disabled="place(view) === views.views.length - 1"
                data-test="view-down"
                @click="views.moveTo(view, place(view) + 1)"
              >
                Down
              </button>
              <button data-test="view-group" @click="group(view)">List under…</button>
              <button
                v-for="g in groupNames.filter((x) => x !== view.group)"
                :key="g"
                @click="views.moveTo(view, place(view), g)"
              >
                under {{ g }}
              </button>
              <button v-if="view.group" @click="views.moveTo(view, place(view), null)">
                Under no heading
              </button>
              <button
                data-test="view-opening"
                @click="views.openWith(views.opening === view.id ? null : view)"
              >
                {{ views.opening === view.id ? 'Not the opening view' : 'Opening view' }}
              </button>
              <button class="bad" data-test="view-delete" @click="views.remove(view)">
                Delete
              </button>
              <fieldset>
                <legend class="soft">It stores</legend>
                <label v-for="(part, id) in viewParts" :key="id"
                  ><input
                    type="checkbox"
                    :checked="views.keepsOf(view).includes(id)"
                    :data-test="`keeps-${id}`"
                    @change="tick(view, id, ($event.target as HTMLInputElement).checked)"
                  />
                  {{ part }}</label
                >
              </fieldset>
            </div>
          </div>
        </template>
        <p v-if="!views.views.length" class="soft none">
          No views are saved yet. Look at something worth coming back to, and save it here.
        </p>
      </div>
      <h2 class="heading">Tours</h2>
      <div v-for="tour in tours.tours" :key="tour.id" class="tour">
        <button class="open" :data-test="`tour-${tour.id}`" @click="openTour(tour.id)">
          <span class="name"
            >{{ tour.name }} <small class="soft">{{ tour.stops.length }} stops</small></span
          >
        </button>
        <button
          class="more"
          :aria-label="`Delete ${tour.name}`"
          title="Delete; can be undone"
          @click="tours.removeTour(tour.id)"
        >
          ×
        </button>
      </div>
      <button class="main new" data-test="new-tour" @click="newTour">New tour…</button>
    </div>
  </v-menu>
</template>

<style scoped>
.views {
  width: 330px;
  max-height: 78vh;
  overflow: auto;
  background: rgb(var(--v-theme-surface));
  border: 1px solid var(--line);
  border-radius: 8px;
  padding: 10px;
}
.head {
  display: flex;
  gap: 8px;
  margin-bottom: 8px;
}
.head input {
  flex: 1;
  min-width: 0;
  border: 1px solid var(--line);
  border-radius: 5px;
  padding: 3px 8px;
}
.main {
  color: var(--accent);
  font-weight: 600;
  padding: 3px 6px;
}
.new {
  margin-top: 2px;
}
.heading {
  margin: 10px 4px 4px;
}
.view,
.tour {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  border-radius: 6px;
}
.view:hover,
.tour:hover {
  background: var(--card);
}
.on {
  background: var(--accent-tint);
}
.open {
  flex: 1;
  min-width: 0;
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 4px;
  text-align: left;
}
.name {
  flex: 1;
  overflow: hidden;
  text-overflow: ellipsis;
}
img,
.blank {
  width: 84px;
  height: 52px;
  border-radius: 4px;
  border: 1px solid var(--line);
  flex: none;
  background: rgb(var(--v-theme-background));
}
.more {
  padding: 4px 10px;
}
.edit {
  flex-basis: 100%;
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  padding: 2px 6px 8px;
}
.edit button {
  padding: 2px 8px;
  border: 1px solid var(--line);
  border-radius: 10px;
  font-size: 12px;
}
.edit button:disabled {
  opacity: 0.4;
}
.bad {
  color: rgb(var(--v-theme-error));
}
fieldset {
  flex-basis: 100%;
  border: 0;
  padding: 4px 2px 0;
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  font-size: 12px;
}
.none {
  padding: 8px;
}
</style>
