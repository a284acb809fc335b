<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import { toneOf } from '../api/words'

/* Measured value with its uncertainty against the limit. Only places ink: every number comes from
   the finding. */
const props = defineProps<{ band: Schemas['Band']; words?: Schemas['BandWords'] }>()
const W = 690
const view = computed(() => {
  const b = props.band
  const reach = Math.max(Math.abs(b.error) + b.expanded * 1.3, b.limit * 1.8, b.expanded * 1.8, 1e-9)
  const x = (v: number) => W / 2 + ((v - b.nominal) / reach) * (W / 2 - 24)
  const at = (v: number) => Math.min(W - 10, Math.max(10, x(v)))
  return {
    low: at(b.nominal - b.limit),
    high: at(b.nominal + b.limit),
    mid: at(b.nominal),
    left: at(b.measured - b.expanded),
    right: at(b.measured + b.expanded),
    value: at(b.measured),
  }
})
const tone = computed(() => toneOf[props.band.verdict])
/* Labels stand on the two sides of the line, so they never meet. */
const place = (x: number) => Math.min(W - 160, Math.max(160, x))
</script>

<template>
  <svg
    :viewBox="`0 0 ${W} 92`"
    role="img"
    :aria-label="`${words?.label}: ${words?.measured}, allowed ${words?.nominal}`"
    class="band"
  >
    <rect :x="view.low" y="30" :width="view.high - view.low" height="32" class="allowed" />
    <path :d="`M${view.low} 26V66M${view.high} 26V66`" class="edge" />
    <path :d="`M6 46H${W - 6}`" class="thin" />
    <path :d="`M${view.mid} 36V56`" class="edge" />
    <rect
      :x="view.left"
      y="36"
      :width="Math.max(2, view.right - view.left)"
      height="20"
      :class="['measured', tone]"
    />
    <path :d="`M${view.value} 30V62`" :class="['value', tone]" />
    <text :x="place(view.value)" y="18" text-anchor="middle" :class="tone">
      {{ words?.label }} {{ words?.measured }}
    </text>
    <text :x="place(view.mid)" y="84" text-anchor="middle" class="pass">allowed {{ words?.nominal }}</text>
  </svg>
</template>

<style scoped>
.band {
  width: 100%;
  max-height: 88px;
  display: block;
}
.allowed {
  fill: var(--passWash);
}
.edge {
  stroke: var(--pass);
  stroke-width: 2;
}
.measured {
  stroke-width: 1.5;
  fill-opacity: 0.85;
}
.measured.pass {
  fill: var(--passWash);
  stroke: var(--pass);
}
.measured.caution {
  fill: var(--cautionWash);
  stroke: var(--caution);
}
.measured.stop {
  fill: var(--stopWash);
  stroke: var(--stop);
}
.value {
  stroke-width: 4;
}
.value.pass {
  stroke: var(--pass);
}
.value.caution {
  stroke: var(--caution);
}
.value.stop {
  stroke: var(--stop);
}
text.pass {
  fill: var(--pass);
}
text.caution {
  fill: var(--caution);
}
text.stop {
  fill: var(--stop);
}
</style>
