<script setup lang="ts">
import { computed } from 'vue'

/* The bed from above: places read, and at each screw how far to turn. */
type Point = { name: string; screw: boolean; x: number | null; y: number | null; says: string }
const props = defineProps<{
  points: Point[]
  turns: readonly { name: string; turns: number; says: string }[]
}>()
const size = computed(() => ({
  x: Math.max(1, ...props.points.map((p) => p.x ?? 0)) * 1.15,
  y: Math.max(1, ...props.points.map((p) => p.y ?? 0)) * 1.15,
}))
const place = (p: Point) => ({
  x: 30 + ((p.x ?? 0) / size.value.x) * 400,
  y: 280 - ((p.y ?? 0) / size.value.y) * 250,
})
/* Labels of the outer places grow inward, above the front ones and below the back ones. */
const label = (p: Point) => {
  const at = place(p)
  const side = at.x < 170 ? 'start' : at.x > 290 ? 'end' : 'middle'
  const y = side === 'middle' ? at.y + 30 : at.y < 150 ? at.y + 42 : at.y - 56
  return { x: side === 'start' ? at.x - 22 : side === 'end' ? at.x + 22 : at.x, y, anchor: side }
}
const turn = (p: Point) => props.turns.find((r) => r.name === p.name)
</script>

<template>
  <svg viewBox="0 0 460 320" role="img" aria-label="Bed from above with its screws">
    <rect x="30" y="20" width="400" height="266" class="metal" />
    <text x="230" y="311" text-anchor="middle">front</text>
    <g v-for="(p, i) in points" :key="i">
      <template v-if="p.screw">
        <circle :cx="place(p).x" :cy="place(p).y" r="15" class="metal-dark" />
        <path :d="`M${place(p).x - 9} ${place(p).y}h18`" class="line" />
        <path
          v-if="turn(p)"
          :d="
            (turn(p)?.turns ?? 0) < 0
              ? `M${place(p).x + 20} ${place(p).y + 8}a22 22 0 1 0 -12 -27m-1 -8l1 9 9 -1`
              : `M${place(p).x - 20} ${place(p).y + 8}a22 22 0 1 1 12 -27m1 -8l-1 9 -9 -1`
          "
          class="line now"
          stroke-width="2.4"
        />
      </template>
      <path v-else :d="`M${place(p).x - 7} ${place(p).y}h14m-7 -7v14`" class="line" />
      <text :x="label(p).x" :y="label(p).y" :text-anchor="label(p).anchor">{{ p.says || '–' }}</text>
      <text v-if="turn(p)" :x="label(p).x" :y="label(p).y + 18" :text-anchor="label(p).anchor" class="now">
        {{ turn(p)?.says }}
      </text>
    </g>
  </svg>
</template>

<style scoped>
svg {
  --least: 460px;
  width: 100%;
  max-height: 330px;
}
</style>
