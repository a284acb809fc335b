<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import { usePen } from '../app/pen'

/* What is shown against what is true, for a sensor read with another one's table. */
const { temperature, temperatureNumber } = usePen()
const props = defineProps<{ points: Schemas['WrongTypePoint'][] }>()
const W = 700
const H = 230
const L = 60
const B = 40
const x = (c: number) => L + (c / 300) * (W - L - 20)
const y = (c: number) => H - B - (Math.min(360, c) / 360) * (H - B - 14)
const line = computed(() =>
  props.points.map((p, i) => `${i ? 'L' : 'M'}${x(p.true_c).toFixed(1)} ${y(p.shown_c).toFixed(1)}`).join(''),
)
const at200 = computed(() => props.points.find((p) => p.true_c === 200))
</script>

<template>
  <svg
    :viewBox="`0 0 ${W} ${H}`"
    role="img"
    :aria-label="`At a true ${temperature(200)} the printer shows ${temperature(at200?.shown_c)}`"
  >
    <template v-for="c in [0, 100, 200, 300]" :key="c">
      <path :d="`M${L} ${y(c)}H${W - 20}M${x(c)} ${y(0)}v4`" class="grid" />
      <text :x="L - 8" :y="y(c) + 4" text-anchor="end">{{ temperatureNumber(c).toFixed(0) }}°</text>
      <text :x="x(c)" :y="H - 20" text-anchor="middle">{{ temperatureNumber(c).toFixed(0) }}°</text>
    </template>
    <text :x="W - 20" :y="H - 4" text-anchor="end">true temperature</text>
    <text x="4" y="12">shown</text>
    <path :d="`M${x(0)} ${y(0)}L${x(300)} ${y(300)}`" class="right" />
    <path :d="line" class="curve" />
    <template v-if="at200">
      <path :d="`M${x(200)} ${y(0)}V${y(at200.shown_c)}H${L}`" class="lead" />
      <circle :cx="x(200)" :cy="y(at200.shown_c)" r="5" class="dot" />
      <text :x="x(200) - 8" :y="Math.max(24, y(at200.shown_c) - 10)" text-anchor="end" class="big">
        {{ temperature(200) }} shows as {{ temperature(at200.shown_c) }}
      </text>
    </template>
  </svg>
</template>

<style scoped>
svg {
  width: 100%;
  display: block;
  background: var(--sheet);
  border: 1px solid var(--rule);
  margin-top: 8px;
}
text {
  font: 13px var(--mono);
  fill: var(--ink2);
}
.big {
  font: 16px var(--text);
  fill: var(--ink);
}
.grid {
  stroke: var(--rule);
  fill: none;
}
.right {
  stroke: var(--pass);
  stroke-dasharray: 5 4;
}
.curve {
  stroke: var(--stop);
  stroke-width: 2.5;
  fill: none;
}
.lead {
  stroke: var(--ink2);
  stroke-dasharray: 2 3;
  fill: none;
}
.dot {
  fill: var(--stop);
}
</style>
