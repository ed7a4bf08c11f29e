<script setup lang="ts">
import { mdiLockOpenVariantOutline, mdiLockOutline } from '@mdi/js'
import { computed, ref, watch } from 'vue'

import type { Schemas } from '../api/client'
import { useCell } from '../cell/cellStore'
import { plain } from '../settings/unitKinds'
import { useUnits } from '../settings/units'
import { palettes } from '../scene/look'
import { useSettings } from '../settings/settingsStore'
import JointTable from './JointTable.vue'
import PlaceFields from './PlaceFields.vue'
import ShiftFinder from './ShiftFinder.vue'
import { useItems } from './itemsStore'
import { roles } from './roles'

const cell = useCell()
const items = useItems()
const units = useUnits()
const settings = useSettings()

const one = computed(() => items.one)
const fact = computed(() => items.facts.find((f) => f.item === one.value?.id))

const parent = computed(() => (one.value?.parent ? cell.items.get(one.value.parent) : null))
const common = <T,>(of: (item: Schemas['ItemDocument']) => T): T | null => {
  const [first, ...rest] = items.chosen.map(of)
  return rest.every((x) => x === first) ? (first ?? null) : null
}
const role = computed(() => common((i) => i.role))
const carrier = computed(() => common((i) => i.parent ?? ''))
const colour = computed(() => common((i) => i.colour ?? null))
/** What is drawn while it has no colour of its own. */
const roleColour = computed(() => {
  const colours = palettes[settings.dark ? 'dark' : 'light'].roles
  return colours[role.value ?? 'group'] ?? colours.group
})
/** Whether what is selected could break a rule, and may be moved. */
const canShift = computed(
  () => !!cell.cell?.document.rules?.length && !items.locked && triangles.value > 0,
)
const triangles = computed(() => items.facts.reduce((n, f) => n + f.triangles, 0))
/** Of all that is chosen; a word where it has none, or while it is worked out. */
const volume = computed(() => {
  const bodies = items.facts.filter((f) => f.triangles)
  if (bodies.some((f) => f.open_edges)) return 'open mesh'
  if (!items.masses) return '…'
  const known = new Map(items.masses.map((m) => [m.item, m.volume_mm3]))
  const volumes = bodies.map((f) => known.get(f.item))
  if (volumes.some((v) => v == null)) return 'pieces overlap'
  return units.volume(volumes.reduce<number>((sum, v) => sum + (v ?? 0), 0))
})
const size = computed(() => fact.value?.size_mm?.map((x) => units.number(x)).join(' × '))
const files = computed(() =>
  fact.value?.files.map((f) => f.replace(/^brought\/[^/]+\//, '')).join(', '),
)
const parents = computed(() => {
  const own = new Set(items.chosen.flatMap((i) => cell.family(i.id)))
  return [...cell.items.values()].filter((i) => !own.has(i.id))
})
const notes = ref('')
watch([() => one.value?.id, () => one.value?.notes], () => (notes.value = one.value?.notes ?? ''), {
  immediate: true,
})
function rename(e: Event) {
  const name = (e.target as HTMLInputElement).value
  if (name.trim() && name !== one.value!.name) void items.rename(one.value!.id, name)
  else (e.target as HTMLInputElement).value = one.value!.name
}
function carrierChosen(e: Event) {
  const id = (e.target as HTMLSelectElement).value || null
  items.hanging = { ids: items.chosen.map((i) => i.id), parent: id, link: null }
  ;(e.target as HTMLSelectElement).value = carrier.value ?? 'several'
}
const valueOf = (e: Event) => (e.target as HTMLInputElement).value
const roleChosen = (e: Event) => items.change({ role: valueOf(e) as (typeof roles)[number] })
const colourChosen = (e: Event) => items.change({ colour: valueOf(e).toUpperCase() })
const surfaceChosen = (e: Event) =>
  items.change({ surface_only: (e.target as HTMLInputElement).checked })
const ONLY_SURFACE =
  'Nothing counts as inside it: for panels without thickness, floors, covers open on one side. ' +
  'Otherwise what can’t be told to lie inside or outside is not certified'
</script>

<template>
  <section class="inspector" aria-label="Selection" data-test="inspector">
    <div class="title">
      <input
        v-if="one"
        class="name"
        :value="one.name"
        aria-label="Name"
        data-test="item-name"
        @change="rename"
        @keydown.enter="($event.target as HTMLElement).blur()"
      />
      <b v-else class="name">{{ items.chosen.length }} items</b>
      <button
        :title="
          items.locked
            ? 'Locked: it stays where it is. Click to unlock'
            : 'Lock: it stays where it is'
        "
        :aria-pressed="!!items.locked"
        :aria-label="items.locked ? 'Unlock' : 'Lock'"
        data-test="lock"
        @click="items.toggleLock"
      >
        <v-icon :icon="items.locked ? mdiLockOutline : mdiLockOpenVariantOutline" size="15" />
      </button>
    </div>
    <p v-if="items.problem" class="problem" role="alert">{{ items.problem }}</p>
    <PlaceFields />
    <ShiftFinder
      v-if="canShift"
      :subject="{ items: items.chosen.map((i) => i.id) }"
      :frame="items.frame"
      @arrange="items.arrange($event)"
    />
    <dl>
      <dt>Role</dt>
      <dd class="colour">
        <select :value="role ?? ''" aria-label="Role" data-test="item-role" @change="roleChosen">
          <option v-if="!role" value="" disabled>several</option>
          <option v-for="r in roles" :key="r" :value="r">{{ r }}</option>
        </select>
        <input
          type="color"
          :value="colour ?? roleColour"
          :title="colour ? `Own colour ${colour}` : 'Own colour; now that of its role'"
          aria-label="Own colour"
          data-test="item-colour"
          @change="colourChosen"
        />
        <button
          v-if="colour"
          class="link"
          title="The colour of its role again"
          @click="items.change({ colour: null })"
        >
          role’s
        </button>
      </dd>
      <dt>Hangs on</dt>
      <dd>
        <select
          :value="carrier ?? 'several'"
          aria-label="Hangs on"
          data-test="hangs-on"
          @change="carrierChosen"
        >
          <option v-if="carrier === null" value="several" disabled>several</option>
          <option value="">the floor</option>
          <option v-for="p in parents" :key="p.id" :value="p.id">{{ p.name }}</option></select
        ><span v-if="parent && one?.on_link" class="soft" :title="`Link ${one.on_link}`">
          {{ one.on_link.replaceAll('_', ' ') }}</span
        >
      </dd>
      <template v-if="fact"
        ><dt title="Unit quaternion">x y z w</dt>
        <dd
          class="number small"
          data-test="item-quaternion"
          :title="`Orientation as a unit quaternion x, y, z, w: ${fact.quaternion_xyzw.join(', ')}`"
        >
          {{ fact.quaternion_xyzw.map((q) => plain(q.toFixed(3))).join(' ') }}
        </dd></template
      >
      <template v-if="size"
        ><dt>Size</dt>
        <dd class="number small" data-test="item-size">{{ size }} {{ units.sign }}</dd></template
      >
      <template v-if="triangles">
        <dt>Volume</dt>
        <dd class="number" data-test="item-volume">{{ volume }}</dd>
        <dt>Triangles</dt>
        <dd class="number">{{ triangles.toLocaleString('en') }}</dd>
      </template>
      <template v-if="fact?.open_edges || one?.surface_only">
        <dt>Open edges</dt>
        <dd>
          <span class="number">{{ fact?.open_edges ?? 0 }}</span>
          <label class="only" :title="ONLY_SURFACE"
            ><input
              type="checkbox"
              :checked="one?.surface_only"
              data-test="surface-only"
              @change="surfaceChosen"
            />
            surface only</label
          >
        </dd>
      </template>
      <template v-if="files"
        ><dt>From</dt>
        <dd class="file" :title="files">{{ files }}</dd></template
      >
    </dl>
    <JointTable v-if="one?.mechanism" :item="one.id" />
    <textarea
      v-if="one"
      v-model="notes"
      rows="1"
      class="notes"
      placeholder="Notes"
      aria-label="Notes"
      data-test="item-notes"
      @change="items.change({ notes })"
    />
  </section>
</template>

<style scoped>
.inspector {
  border-top: 1px solid var(--line);
  padding: 8px 12px 10px;
  overflow: auto;
  max-height: 46%;
  font-size: 12px;
  flex: none;
}
.title {
  display: flex;
  gap: 6px;
  align-items: center;
  margin-bottom: 4px;
}
.name {
  flex: 1;
  min-width: 0;
  font-weight: 700;
  font-size: 13px;
  border-radius: 3px;
  padding: 1px 3px;
}
.name:focus {
  outline: 1px solid var(--accent);
}
select {
  max-width: 100%;
  min-width: 0;
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0 3px;
  background: inherit;
  color: rgb(var(--v-theme-on-surface));
  appearance: auto;
}
dl {
  display: grid;
  grid-template-columns: 62px minmax(0, 1fr);
  gap: 1px 6px;
  align-items: center;
}
dt {
  color: var(--soft);
}
dd {
  min-width: 0;
}
.file {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.colour {
  display: flex;
  gap: 6px;
  align-items: center;
}
.colour input {
  width: 22px;
  height: 16px;
  padding: 0;
  border: 1px solid var(--line);
  border-radius: 3px;
}

.small {
  font-size: 11px;
  letter-spacing: -0.4px;
}
.only {
  display: inline-flex;
  gap: 3px;
  align-items: center;
  margin-left: 8px;
}
.notes {
  width: 100%;
  margin-top: 6px;
  padding: 2px 4px;
  border: 1px solid var(--line);
  border-radius: 4px;
  resize: vertical;
}
.problem {
  color: rgb(var(--v-theme-error));
}
</style>
