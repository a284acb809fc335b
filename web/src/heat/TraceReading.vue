<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'

/* What a log shows, with its evidence; words as well as colour. */
const props = defineProps<{ reading: Schemas['TraceReading'] }>()
const tone = computed(() => {
  switch (props.reading.class) {
    case 'steady':
      return 'pass'
    case 'loop_swinging':
    case 'fan_stealing_heat':
    case 'too_short':
      return 'caution'
    default:
      return 'stop'
  }
})
</script>

<template>
  <div class="reading" :class="tone">
    <p class="head">{{ reading.headline }}</p>
    <p>{{ reading.advice }}</p>
    <ul v-if="reading.evidence.length">
      <li v-for="e in reading.evidence" :key="e">{{ e }}</li>
    </ul>
  </div>
</template>

<style scoped>
.reading {
  border-left: 6px solid var(--rule);
  padding: 2px 0 2px 14px;
}
.pass {
  border-color: var(--pass);
}
.caution {
  border-color: var(--caution);
}
.stop {
  border-color: var(--stop);
}
.head {
  font-weight: 700;
  font-size: 18px;
}
ul {
  margin: 4px 0 0;
  padding-left: 18px;
  color: var(--ink2);
  font-size: 15px;
}
</style>
