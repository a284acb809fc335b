<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import { usePen } from '../app/pen'
import { timeWords } from '../charts/trace'
import FoldedPart from '../ui/FoldedPart.vue'

/* What a log shows, with its evidence; words as well as colour. */
const props = defineProps<{ reading: Schemas['TraceReading'] }>()
const { temperature } = usePen()
const faults: Schemas['TraceClass'][] = [
  'sensor_intermittent',
  'open_or_short',
  'heater_failing',
  'never_reaching',
]
const tone = computed(() =>
  props.reading.class === 'steady' ? 'pass' : faults.includes(props.reading.class) ? 'stop' : 'caution',
)
const kinds: Record<Schemas['SegmentKind'], string> = {
  heat_up: 'heating',
  hold: 'held',
  standby: 'standby',
  pause: 'off, a pause',
  cool_down: 'cooling',
}
/* A log of one heat-up and one hold needs no list. */
const pieces = computed(() => {
  const all = props.reading.segments ?? []
  return all.length > 2 ? all : []
})
</script>

<template>
  <div class="reading" :class="tone">
    <p class="head">{{ reading.headline }}</p>
    <p>{{ reading.advice }}</p>
    <ul v-if="reading.evidence.length">
      <li v-for="e in reading.evidence" :key="e">{{ e }}</li>
    </ul>
    <FoldedPart v-if="pieces.length" :title="`The log in ${pieces.length} pieces`">
      <ul>
        <li v-for="s in pieces" :key="s.from_s">
          {{ timeWords(s.from_s) }} to {{ timeWords(s.to_s) }}: {{ kinds[s.kind]
          }}<template v-if="s.target_c"> at {{ temperature(s.target_c) }}</template
          ><template v-if="s.class !== 'too_short'">: {{ s.label }}</template>
        </li>
      </ul>
    </FoldedPart>
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
