<script setup lang="ts">
import { computed } from 'vue'

import { useUnits } from '../settings/units'
import { type Chosen, type Found, useImport } from './importStore'
import { roles } from './roles'

/** Something found in what is brought in, and what is made of it. */
const props = defineProps<{ found: Found }>()
const c = defineModel<Chosen>({ required: true })
const bringing = useImport()
const units = useUnits()

const metres = { mm: 0.001, cm: 0.01, m: 1, inch: 0.0254 }
const size = computed(() => {
  const { size } = props.found
  if (!size) return '–'
  const [x, y, z] = size.map((s) => units.number(s * metres[c.value.unit] * 1000))
  return `${(c.value.up === 'y' ? [x, z, y] : [x, y, z]).join(' × ')} ${units.sign.value}`
})
const many = (n: number, one: string) => `${n} ${n === 1 ? one : `${one}s`}`
const robot = computed(() => {
  const { links, joints, srdf, joint_groups } = props.found
  const groups = joint_groups.length ? ` (groups ${joint_groups.join(', ')})` : ''
  const along = srdf ? `, with ${srdf}${groups}` : ''
  return `${many(links, 'link')}, ${many(joints, 'moving joint')}${along}.`
})
const bothKinds = computed(
  () =>
    `${props.found.collisions} links have geometry of both kinds; ` +
    'the one chosen is shown and measured',
)
/** What was wrong with a mesh, and what was done about it. */
const flaws = computed(() => {
  const { open_edges, degenerate, duplicate, turned_shells, turned_triangles } = props.found.flaws
  return [
    open_edges && `${open_edges} open edges: what is inside is told by how nearly it closes`,
    degenerate && `${degenerate} triangles without an area left out`,
    duplicate && `${duplicate} double triangles left out`,
    turned_shells && `${turned_shells} shells inside out turned over`,
    turned_triangles &&
      `${turned_triangles} triangles that ran against their neighbours turned over`,
  ]
    .filter(Boolean)
    .join(' · ')
})
const carriers = computed(() => bringing.carriers.filter((p) => p.id !== c.value.file))
</script>

<template>
  <tbody>
    <tr :class="{ off: !c.take }" data-test="found">
      <td>
        <input
          v-model="c.take"
          type="checkbox"
          :disabled="!!found.problem"
          :aria-label="`Bring in ${c.name}`"
        />
      </td>
      <td><input v-model="c.name" class="name" aria-label="Name" :title="c.file" /></td>
      <td>
        <select v-model="c.role" aria-label="Role">
          <option v-for="r in roles" :key="r" :value="r">{{ r }}</option>
        </select>
      </td>
      <td>
        <select
          v-model="c.unit"
          :disabled="found.says_itself"
          aria-label="Unit"
          data-test="found-unit"
        >
          <option value="mm">mm</option>
          <option value="cm">cm</option>
          <option value="m">m</option>
          <option value="inch">inch</option>
        </select>
      </td>
      <td>
        <select
          v-model="c.up"
          :disabled="found.says_itself"
          aria-label="Axis that points up"
          data-test="found-up"
        >
          <option value="z">Z</option>
          <option value="y">Y</option>
        </select>
      </td>
      <td class="number right size" data-test="found-size">
        {{ size }}
      </td>
      <td class="number right">
        {{ found.triangles.toLocaleString('en') }}
      </td>
      <td>
        <select v-model="c.parent" class="carrier" aria-label="Hangs on">
          <option value="">the floor</option>
          <option v-for="p in carriers" :key="p.id" :value="p.id">{{ p.name }}</option>
        </select>
      </td>
    </tr>
    <tr class="about">
      <td />
      <td colspan="7">
        <span v-if="found.kind === 'robot' && !found.problem" class="soft">{{ robot }}</span>
        <label
          v-if="found.kind === 'robot' && !found.problem"
          class="soft geometry"
          title="A frame at the flange that can be taken to targets; it can be moved afterwards"
          ><input v-model="c.with_tcp" type="checkbox" data-test="found-tcp" /> with a TCP at its
          flange</label
        >
        <label v-if="found.collisions" class="soft geometry" :title="bothKinds"
          >Shown and measured
          <select
            v-model="c.geometry"
            aria-label="Geometry that is shown and measured"
            data-test="found-geometry"
          >
            <option value="visual">what is meant to be seen</option>
            <option value="collision">what is meant for collisions</option>
          </select></label
        >
        <span v-if="flaws" class="soft" data-test="found-flaws">{{ flaws }}</span>
        <span v-if="found.problem" class="problem" data-test="found-problem">{{
          found.problem
        }}</span>
      </td>
    </tr>
  </tbody>
</template>

<style scoped>
td {
  padding: 2px 6px;
}
tbody {
  border-top: 1px solid var(--line);
}
.right {
  text-align: right;
}
.size {
  white-space: nowrap;
}
.off .name,
.off .number {
  opacity: 0.5;
}
.about td {
  padding-top: 0;
  font-size: 12px;
}
.name {
  width: 100%;
  min-width: 120px;
  border-bottom: 1px solid var(--line);
}
select {
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0 4px;
  appearance: auto;
  background: inherit;
  color: inherit;
}
.carrier {
  max-width: 130px;
}
.geometry {
  margin-right: 8px;
}
.problem {
  color: rgb(var(--v-theme-error));
}
</style>
