<script setup lang="ts">
import { useCell } from '../cell/cellStore'
import { groupings, orders, useKept } from './keptStore'
import KeptCard from './KeptCard.vue'

/** Measurements with a name. */
const cell = useCell()
const kept = useKept()
const csv = () => `/api/cells/${cell.cell!.id}/kept-findings.csv`
const json = () => `/api/cells/${cell.cell!.id}/kept-findings`
</script>

<template>
  <section v-if="kept.all.length" class="kept" aria-label="Kept findings">
    <header>
      <h3>Kept ({{ kept.all.length }})</h3>
      <a class="link" :href="csv()" download="findings.csv" title="All of them as a table">CSV</a>
      <a class="link" :href="json()" download="findings.json" title="All of them, worked out anew"
        >JSON</a
      >
    </header>
    <div v-if="kept.all.length > 1" class="row">
      <input
        v-model="kept.filter"
        type="search"
        placeholder="Filter"
        aria-label="Filter kept findings"
        data-test="kept-filter"
      />
      <label
        >by
        <select v-model="kept.order" aria-label="Order of kept findings" data-test="kept-order">
          <option v-for="(name, key) in orders" :key="key" :value="key">{{ name }}</option>
        </select></label
      >
      <label
        >in
        <select
          v-model="kept.grouping"
          aria-label="Groups of kept findings"
          data-test="kept-grouping"
        >
          <option v-for="(name, key) in groupings" :key="key" :value="key">{{ name }}</option>
        </select></label
      >
    </div>
    <template v-for="group in kept.groups" :key="group.name">
      <h4 v-if="group.name" data-test="kept-group">{{ group.name }} ({{ group.kept.length }})</h4>
      <KeptCard v-for="k in group.kept" :key="k.finding.id" :kept="k" />
    </template>
    <p v-if="!kept.list.length" class="soft">None of them says “{{ kept.filter }}”.</p>
  </section>
</template>

<style scoped>
.kept {
  display: grid;
  gap: 6px;
  padding-top: 8px;
  border-top: 1px solid var(--line);
}
header,
.row {
  display: flex;
  gap: 10px;
  align-items: baseline;
  font-size: 12px;
}
h4 {
  font-size: 12px;
  font-weight: 600;
  color: var(--soft);
}
.row {
  flex-wrap: wrap;
}
h3 {
  flex: 1;
  font-size: 13px;
}
input {
  flex: 1;
  min-width: 0;
}
input {
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 2px 6px;
  background: rgb(var(--v-theme-surface));
  color: inherit;
}
</style>
