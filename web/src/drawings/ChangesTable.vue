<script setup lang="ts">
import WideTable from '../ui/WideTable.vue'

/* What changed since the snapshot; what no station did stands out. */
defineProps<{
  changes: { name: string; before?: string | null; after?: string | null; known: boolean }[]
  /** Whether a report was read at all. */
  read: boolean
}>()
</script>

<template>
  <div v-if="changes.length">
    <h2>What changed since the snapshot</h2>
    <WideTable>
      <thead>
        <tr>
          <th scope="col">Setting (station)</th>
          <th scope="col">Before</th>
          <th scope="col">Now</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="c in changes" :key="c.name" :class="{ odd: !c.known }">
          <th scope="row">{{ c.name }}</th>
          <td class="mono">{{ c.before ?? '–' }}</td>
          <td class="mono">{{ c.after ?? '–' }}</td>
        </tr>
      </tbody>
    </WideTable>
  </div>
  <p v-else-if="read" class="quiet">Nothing changed since the snapshot.</p>
</template>

<style scoped>
.odd th {
  color: var(--stop);
  font-weight: 700;
}
</style>
