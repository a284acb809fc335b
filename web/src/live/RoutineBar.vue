<script setup lang="ts">
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
    <progress :value="routine.progress.part" max="1" :aria-label="routine.progress.says || 'starting'">
      {{ percent }} %
    </progress>
    <button type="button" class="soft" @click="stop">Stop this, heater off</button>
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
progress {
  grid-column: 1;
  width: 100%;
  height: 12px;
  appearance: none;
  border: 1px solid var(--ink);
  background: var(--sheet);
}
progress::-webkit-progress-bar {
  background: var(--sheet);
}
progress::-webkit-progress-value {
  background: var(--ink);
}
.soft {
  grid-column: 2;
  grid-row: 1 / 3;
}
</style>
