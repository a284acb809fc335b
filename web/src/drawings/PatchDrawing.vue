<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'

/* Nozzle over bed, seen from the side: where it stands and where it should stand. The gap is drawn
   from the finding, ten times as high as wide so that hundredths can be seen. */
const props = defineProps<{
  method: string
  commanded: number | null
  band?: Schemas['Band']
  words?: Schemas['BandWords']
}>()
const scale = computed(() => {
  const most = Math.max(0.3, props.band?.measured ?? 0, props.band?.nominal ?? 0)
  return 90 / most
})
const gap = computed(() =>
  Math.min(110, Math.max(4, (props.band?.measured ?? props.commanded ?? 0.2) * scale.value)),
)
const want = computed(() => (props.band ? Math.max(0, props.band.nominal * scale.value) : null))
const tip = computed(() => 150 - gap.value)
</script>

<template>
  <svg width="100%" viewBox="0 0 690 190" role="img" aria-label="Nozzle over the bed, from the side">
    <rect x="60" y="150" width="570" height="14" class="metal" />
    <rect x="60" y="164" width="570" height="16" class="metal-dark" />
    <rect v-if="method === 'patch'" x="120" :y="tip" width="222" :height="gap" class="plastic" />
    <rect v-else x="120" :y="tip" width="450" :height="gap" class="gauge" />
    <path :d="`M318 ${tip - 46}h54l-14 46h-26z`" class="metal-dark" />
    <rect x="306" :y="tip - 70" width="78" height="24" class="metal" />
    <path :d="`M345 ${tip - 70}v70`" class="line filament" />
    <path :d="`M400 ${tip}H600M400 150H600`" class="thin" />
    <path :d="`M586 ${tip}V150`" class="line now" />
    <text x="596" :y="Math.max(18, (tip + 150) / 2 + 5)" class="now">is</text>
    <text x="62" :y="Math.max(18, tip - 10)" class="now">{{ words?.measured }}</text>
    <template v-if="want !== null && want > 0">
      <path :d="`M420 ${150 - want}H560`" class="want" />
      <text x="424" :y="144 - want" class="small">should be {{ words?.nominal }}</text>
    </template>
  </svg>
</template>

<style scoped>
svg {
  max-height: 190px;
}
.gauge {
  fill: var(--sheet);
  stroke: var(--ink);
}
.filament {
  stroke: var(--filament);
  stroke-width: 6;
}
.want {
  stroke: var(--pass);
  stroke-width: 2;
  stroke-dasharray: 6 4;
}
</style>
