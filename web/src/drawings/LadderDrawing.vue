<script setup lang="ts">
import { computed } from 'vue'

/* What came of each flow, the level and the fall through it, and where it is 5 % below. */
const props = defineProps<{
  ladder: [number, number][]
  line: { level: number; breaks: number; falls: number; at: number; within: [number, number] } | null
}>()
const W = 330
const H = 220
const left = 58
const right = 320
const top = 16
const foot = 178
const range = computed(() => {
  const flows = props.ladder.map(([q]) => q)
  const shares = props.ladder.map(([, s]) => s)
  return {
    most: Math.max(...flows, 10) * 1.05,
    least: Math.min(0.6, ...shares) - 0.02,
    high: Math.max(1.05, ...shares) + 0.02,
  }
})
const x = (q: number) => left + (q / range.value.most) * (right - left)
const y = (s: number) =>
  foot - ((s - range.value.least) / (range.value.high - range.value.least)) * (foot - top)
const ticks = computed(() => {
  const step = range.value.most > 24 ? 10 : 5
  return Array.from({ length: Math.floor(range.value.most / step) + 1 }, (_, i) => i * step)
})
const fit = computed(() => {
  const l = props.line
  if (!l) return ''
  const end = range.value.most
  return `M${x(0)} ${y(l.level)}H${x(l.breaks)}L${x(end)} ${y(l.level - l.falls * (end - l.breaks))}`
})
</script>

<template>
  <svg
    width="100%"
    :viewBox="`0 0 ${W} ${H}`"
    role="img"
    aria-label="Share of the filament that came, by flow"
  >
    <path :d="`M${left} ${top}V${foot}H${right}`" class="line" />
    <g v-for="t in ticks" :key="t">
      <path :d="`M${x(t)} ${foot}v4`" class="line" />
      <text :x="x(t)" :y="foot + 18" class="mid">{{ t }}</text>
    </g>
    <text :x="right" :y="foot + 36" text-anchor="end">flow, mm³/s</text>
    <g v-for="s in [0.6, 0.8, 1]" :key="s">
      <text :x="left - 6" :y="y(s) + 5" text-anchor="end">{{ Math.round(s * 100) }} %</text>
    </g>
    <template v-if="line">
      <rect
        :x="x(line.within[0])"
        :y="top"
        :width="Math.max(2, x(line.within[1]) - x(line.within[0]))"
        :height="foot - top"
        class="within"
      />
      <path :d="fit" class="fit" />
      <path :d="`M${x(line.at)} ${foot}V${y(0.95 * line.level)}`" class="thin" />
    </template>
    <circle v-for="([q, s], i) in ladder" :key="i" :cx="x(q)" :cy="y(s)" r="4.5" class="dot" />
    <text v-if="!ladder.length" :x="left + 12" :y="(top + foot) / 2">Type what came of each flow.</text>
  </svg>
</template>

<style scoped>
.within {
  fill: var(--wash);
}
.fit {
  fill: none;
  stroke: var(--accent);
  stroke-width: 2;
}
.dot {
  fill: var(--ink);
}
</style>
