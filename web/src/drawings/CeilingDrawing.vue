<script setup lang="ts">
import { computed } from 'vue'

/* Every part's limit as a bar; the shortest holds the ceiling. */
const props = defineProps<{
  limits: { c: number; name: string; shown: string }[]
  planned: number | null
  says: string
}>()
const W = 700
const L = 236
const at = (c: number) => L + (Math.min(500, Math.max(0, c - 150)) / 350) * (W - L - 60)
const height = computed(() => 30 + props.limits.length * 24)
</script>

<template>
  <svg
    v-if="limits.length"
    width="100%"
    :viewBox="`0 0 ${W} ${height}`"
    role="img"
    :aria-label="`Limits: ${limits.map((b) => `${b.name} ${b.shown}`).join(', ')}`"
  >
    <g v-for="(b, i) in limits" :key="b.name">
      <text x="0" :y="20 + i * 24" :class="{ holds: i === 0 }">
        {{ b.name }}{{ i === 0 ? ' holds it' : '' }}
      </text>
      <rect :x="L" :y="8 + i * 24" :width="at(b.c) - L" height="15" :class="i === 0 ? 'low' : 'bar'" />
      <text :x="at(b.c) + 6" :y="20 + i * 24" class="mono">{{ b.shown }}</text>
    </g>
    <template v-if="planned !== null && planned >= 150">
      <path :d="`M${at(planned)} 2V${height - 20}`" class="planned" />
      <text :x="at(planned)" :y="height - 5" text-anchor="middle">planned {{ says }}</text>
    </template>
  </svg>
</template>

<style scoped>
svg {
  max-height: 170px;
}
text {
  font: 14px var(--text);
  fill: var(--ink2);
}
text.mono {
  font-family: var(--mono);
}
.holds {
  font-weight: 700;
  fill: var(--ink);
}
.bar {
  fill: var(--metal);
  stroke: var(--ink);
}
.low {
  fill: var(--ink);
}
.planned {
  stroke: var(--accent);
  stroke-width: 2.5;
}
</style>
