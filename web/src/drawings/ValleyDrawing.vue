<script setup lang="ts">
import { contours } from 'd3-contour'
import { computed } from 'vue'

import { usePen } from '../app/pen'

/* The valley: predicted scores over distance and speed as contours, prints as dots, the next one as a ring. */
export interface Surface {
  grid: { distances: number[]; speeds: number[]; scores: number[]; may_be_best: boolean[] }
}
const props = defineProps<{
  surface: Surface | null
  prints: { set: number[]; seen: number[] }[]
  taken: number | null
  next: { print: { set: number[] } } | null
}>()
const { length } = usePen()
const left = 62
const right = 650
const top = 14
const foot = 218
const ends = computed(() => {
  const g = props.surface?.grid
  return {
    d: [g?.distances[0] ?? 0, g?.distances.at(-1) ?? 1],
    v: [Math.log(g?.speeds[0] ?? 10), Math.log(g?.speeds.at(-1) ?? 60)],
  }
})
const px = (d: number) => {
  const [a = 0, b = 1] = ends.value.d
  return left + ((d - a) / (b - a)) * (right - left)
}
const py = (v: number) => {
  const [a = 0, b = 1] = ends.value.v
  return foot - ((Math.log(v) - a) / (b - a)) * (foot - top)
}
/** A grid place in the drawing: contours count from the middle of its first cell. */
function path(rings: number[][][][], g: Surface['grid']) {
  const [n, m] = [g.distances.length, g.speeds.length]
  const at = ([cx = 0, cy = 0]: number[]) => {
    const u = Math.min(1, Math.max(0, (cx - 0.5) / (n - 1)))
    const w = Math.min(1, Math.max(0, (cy - 0.5) / (m - 1)))
    return `${(left + u * (right - left)).toFixed(1)} ${(foot - w * (foot - top)).toFixed(1)}`
  }
  return rings.flatMap((polygon) => polygon.map((ring) => `M${ring.map(at).join('L')}Z`)).join('')
}
const levels = computed(() => {
  const g = props.surface?.grid
  if (!g) return []
  const size: [number, number] = [g.distances.length, g.speeds.length]
  const low = g.scores.map((s) => -s)
  return [4, 3, 2, 1].map((level) => ({
    level,
    d: path(contours().size(size).contour(low, -level).coordinates, g),
  }))
})
const maybe = computed(() => {
  const g = props.surface?.grid
  if (!g?.may_be_best.length) return ''
  const size: [number, number] = [g.distances.length, g.speeds.length]
  return path(contours().size(size).contour(g.may_be_best.map(Number), 0.5).coordinates, g)
})
const ticks = computed(() => {
  const [a = 0, b = 1] = ends.value.d
  const step = b - a > 3 ? 1 : 0.5
  const first = Math.ceil(a / step) * step
  return Array.from({ length: Math.max(0, Math.floor((b - first) / step) + 1) }, (_, i) => first + i * step)
})
const speeds = computed(() => {
  const [a = 0, b = 1] = ends.value.v
  return [10, 20, 40, 60, 80].filter((v) => Math.log(v) >= a - 1e-6 && Math.log(v) <= b + 1e-6)
})
const worst = (seen: number[]) => Math.max(...seen)
</script>

<template>
  <svg
    v-if="surface"
    width="100%"
    viewBox="0 0 690 258"
    role="img"
    aria-label="Predicted score over distance and speed"
  >
    <path v-for="l in levels" :key="l.level" :d="l.d" class="level" :class="{ clean: l.level === 1 }" />
    <path v-if="maybe" :d="maybe" class="maybe" />
    <path :d="`M${left} ${top}V${foot}H${right}`" class="line" />
    <g v-for="t in ticks" :key="t">
      <path :d="`M${px(t)} ${foot}v4`" class="line" />
      <text :x="px(t)" :y="foot + 18" class="mid">{{ length(t) }}</text>
    </g>
    <text v-for="v in speeds" :key="v" :x="left - 8" :y="py(v) + 5" text-anchor="end">{{ v }}</text>
    <text :x="left - 8" y="12" text-anchor="end">mm/s</text>
    <g v-for="(p, i) in prints" :key="i">
      <circle
        :cx="px(p.set[0] ?? 0)"
        :cy="py(p.set[1] ?? 1)"
        :r="i === taken ? 8 : 5"
        class="dot"
        :class="{ taken: i === taken }"
      />
      <text :x="px(p.set[0] ?? 0) + 10" :y="py(p.set[1] ?? 1) - 6" class="small">{{ worst(p.seen) }}</text>
    </g>
    <template v-if="next">
      <circle :cx="px(next.print.set[0] ?? 0)" :cy="py(next.print.set[1] ?? 1)" r="10" class="next" />
      <text :x="px(next.print.set[0] ?? 0)" :y="py(next.print.set[1] ?? 1) + 26" class="mid now">next</text>
    </template>
    <text :x="left" y="254" class="small">
      filled: at most 1 · lines: 2, 3, 4 · dashed: the best may lie inside
    </text>
  </svg>
</template>

<style scoped>
.level {
  fill: none;
  stroke: var(--ink2);
}
.clean {
  fill: color-mix(in srgb, var(--pass) 18%, transparent);
  stroke: var(--pass);
  stroke-width: 2;
}
.maybe {
  fill: none;
  stroke: var(--ink);
  stroke-dasharray: 4 4;
}
.dot {
  fill: var(--ink);
}
.taken {
  fill: var(--pass);
}
.next {
  fill: none;
  stroke: var(--accent);
  stroke-width: 3;
}
</style>
