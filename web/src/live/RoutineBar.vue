<script setup lang="ts">
import { NButton, NProgress } from 'naive-ui'
import { computed } from 'vue'

import { answer, client, type Schemas } from '../api/client'
import { duration } from '../api/words'

/* What runs on the printer: how far, how long yet, and a way to stop it. */
const props = defineProps<{ printer: number; routine: Schemas['RoutineView'] }>()
/* A print can pause: the head is lifted, the heaters stay. */
const prints = computed(() => props.routine.kind === 'print')
const place = computed(() => props.routine.progress.print)
async function pause(pause: boolean) {
  await answer(
    client.POST('/api/v1/printers/{id}/pause', { params: { path: { id: props.printer } }, body: { pause } }),
  ).catch(() => undefined)
}
const percent = computed(() => Math.round(props.routine.progress.part * 100))
async function stop() {
  await answer(
    client.DELETE('/api/v1/printers/{id}/routine', { params: { path: { id: props.printer } } }),
  ).catch(() => undefined)
}
</script>

<template>
  <div class="bar" role="group" tabindex="-1" aria-label="Running on the printer">
    <div class="main">
      <div class="says">
        <strong>{{ routine.progress.says || 'starting' }}</strong>
        <span v-if="routine.progress.left_s != null" class="quiet">
          about {{ duration(routine.progress.left_s) }} left</span
        >
        <span v-if="place && place.layer > 0" class="mono">
          layer {{ place.layer }} of {{ place.layers }}, {{ place.z_mm.toFixed(2) }} mm
        </span>
      </div>
      <NProgress
        type="line"
        :percentage="percent"
        :show-indicator="false"
        :aria-label="routine.progress.says || 'starting'"
      />
    </div>
    <div class="ways">
      <template v-if="prints">
        <NButton v-if="routine.progress.paused" type="primary" @click="pause(false)">Go on printing</NButton>
        <NButton v-else @click="pause(true)">Pause</NButton>
      </template>
      <NButton @click="stop">{{ prints ? 'Stop it, heaters off' : 'Stop this, heater off' }}</NButton>
    </div>
  </div>
</template>

<style scoped>
.bar {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 16px;
  align-items: center;
  border: 1px solid var(--ink);
  background: var(--wash);
  padding: 8px 14px;
}
.main {
  flex: 1 1 200px;
  display: grid;
  gap: 4px;
}
.says {
  display: flex;
  gap: 2px 10px;
  flex-wrap: wrap;
}
.says strong::first-letter {
  text-transform: uppercase;
}
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
</style>
