<script setup lang="ts">
import { NButton, NProgress } from 'naive-ui'
import { computed } from 'vue'

import { answer, client, type Schemas } from '../api/client'
import { duration } from '../api/words'

/* What runs on the printer: how far, how long yet, and a way to stop it. */
const props = defineProps<{ printer: number; routine: Schemas['RoutineView'] }>()
const percent = computed(() => Math.round(props.routine.progress.part * 100))
async function stop() {
  await answer(
    client.DELETE('/api/v1/printers/{id}/routine', { params: { path: { id: props.printer } } }),
  ).catch(() => undefined)
}
</script>

<template>
  <div class="bar" role="group" aria-label="Running on the printer">
    <div class="says">
      <strong>{{ routine.progress.says || 'starting' }}</strong>
      <span v-if="routine.progress.left_s != null" class="quiet">
        about {{ duration(routine.progress.left_s) }} left</span
      >
    </div>
    <NProgress
      type="line"
      :percentage="percent"
      :show-indicator="false"
      :aria-label="routine.progress.says || 'starting'"
    />
    <NButton @click="stop">Stop this, heater off</NButton>
  </div>
</template>

<style scoped>
.bar {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 4px 16px;
  align-items: center;
  border: 1px solid var(--ink);
  background: var(--wash);
  padding: 8px 14px;
}
.says {
  display: flex;
  gap: 10px;
  flex-wrap: wrap;
}
.says strong::first-letter {
  text-transform: uppercase;
}
.n-progress {
  grid-column: 1;
}
.soft {
  grid-column: 2;
  grid-row: 1 / 3;
}
</style>
