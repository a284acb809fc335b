<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import { usePen } from '../app/pen'

/* A temperature log: curve, target, duty, marks, the band around the target. Only places ink. */
type Sample = Schemas['Sample']
const { temperatureNumber } = usePen()
const props = withDefaults(
  defineProps<{
    samples: readonly Sample[]
    label: string
    marks?: readonly Schemas['Mark'][]
    /** Half width of the band about the target that counts as settled [°C]. */
    band?: number
    ceiling?: number
    height?: number
    width?: number
    /** Times count back from now. */
    live?: boolean
  }>(),
  { marks: () => [], height: 220, width: 760, band: 1.5, ceiling: undefined },
)
const L = 46
const R = 8
const T = 12
const DUTY = 26
const B = 22
const view = computed(() => {
  const W = props.width
  const s = props.samples
  const first = s[0]?.t_s ?? 0
  const last = s.at(-1)?.t_s ?? 1
  const temps = s.flatMap((p) => (p.target_c ? [p.temp_c, p.target_c] : [p.temp_c]))
  const low = Math.min(...temps, 1000)
  const high = Math.max(...temps, low + 4)
  const room = (high - low) * 0.06 + 0.5
  const bottom = props.height - B - DUTY - 6
  const x = (t: number) => L + ((t - first) / Math.max(1e-6, last - first)) * (W - L - R)
  const y = (c: number) => T + ((high + room - c) / (high - low + 2 * room)) * (bottom - T)
  const line = (points: [number, number][]) =>
    points.map(([a, b], i) => `${i ? 'L' : 'M'}${a.toFixed(1)} ${b.toFixed(1)}`).join('')
  const curve = line(s.map((p) => [x(p.t_s), y(p.temp_c)]))
  // Targets are drawn as steps, and not at all where the heater is off.
  let target = ''
  let before: number | null = null
  for (const p of s) {
    const c = p.target_c ? p.target_c : null
    if (c !== null) target += before === c ? `L${x(p.t_s)} ${y(c)}` : `M${x(p.t_s)} ${y(c)}`
    before = c
  }
  const base = props.height - B
  let duty = ''
  const known = s.filter((p) => p.duty != null)
  if (known.length > 1) {
    duty = `M${x(known[0]?.t_s ?? 0)} ${base}`
    // Held from one report to the next, so drawn as steps.
    for (const p of known) duty += `H${x(p.t_s).toFixed(1)}V${(base - (p.duty ?? 0) * DUTY).toFixed(1)}`
    duty += `L${x(known.at(-1)?.t_s ?? 0)} ${base}Z`
  }
  const main = mode(s)
  const span = last - first
  const step = [10, 30, 60, 120, 300, 600, 1800, 3600, 7200, 14400].find((t) => span / t <= 8) ?? 28800
  const times = []
  for (let t = Math.ceil(first / step) * step; t <= last; t += step) times.push(t)
  const tall = [0.5, 1, 2, 5, 10, 20, 50, 100].find((d) => (high - low + 2 * room) / d <= 6) ?? 200
  const lines = []
  for (let c = Math.ceil((low - room) / tall) * tall; c <= high + room; c += tall) lines.push(c)
  const ceiling = props.ceiling && props.ceiling < high + room ? y(props.ceiling) : null
  return { x, y, curve, target, duty, base, bottom, main, times, lines, tall, ceiling }
})
/** The target that most samples have. */
function mode(samples: readonly Sample[]): number | null {
  const counts = new Map<number, number>()
  for (const p of samples) if (p.target_c) counts.set(p.target_c, (counts.get(p.target_c) ?? 0) + 1)
  return [...counts].sort((a, b) => b[1] - a[1])[0]?.[0] ?? null
}
function time(t: number) {
  const s = Math.abs(t)
  const text = s < 120 ? `${Math.round(s)} s` : `${+(s / 60).toFixed(1)} min`
  return props.live && t < 0 ? `−${text}` : text
}
</script>

<template>
  <svg :viewBox="`0 0 ${width} ${height}`" class="trace" role="img" :aria-label="label">
    <rect
      v-if="view.main !== null"
      :x="L"
      :y="view.y(view.main + band)"
      :width="width - L - R"
      :height="Math.max(1.5, view.y(view.main - band) - view.y(view.main + band))"
      class="band"
    />
    <template v-for="c in view.lines" :key="c">
      <path :d="`M${L} ${view.y(c)}H${width - R}`" class="grid" />
      <text :x="L - 6" :y="view.y(c) + 4" text-anchor="end">
        {{ temperatureNumber(c).toFixed(view.tall < 1 ? 1 : 0) }}°
      </text>
    </template>
    <template v-for="t in view.times" :key="t">
      <path :d="`M${view.x(t)} ${view.base}v4`" class="tick" />
      <text :x="Math.min(width - 24, Math.max(L + 8, view.x(t)))" :y="height - 4" text-anchor="middle">
        {{ time(t) }}
      </text>
    </template>
    <g v-for="(m, i) in marks" :key="i" class="mark">
      <rect
        :x="view.x(m.from_s) - 1.5"
        :y="T"
        :width="Math.max(3, view.x(m.to_s) - view.x(m.from_s) + 3)"
        :height="view.bottom - T"
      >
        <title>{{ m.says }}</title>
      </rect>
    </g>
    <path v-if="view.duty" :d="view.duty" class="duty" />
    <path :d="`M${L} ${view.base}H${width - R}`" class="tick" />
    <text v-if="view.duty" :x="L - 6" :y="view.base - 8" text-anchor="end">duty</text>
    <path v-if="view.ceiling !== null" :d="`M${L} ${view.ceiling}H${width - R}`" class="ceiling" />
    <path :d="view.target" class="target" />
    <path :d="view.curve" class="curve" />
  </svg>
</template>

<style scoped>
.trace {
  width: 100%;
  display: block;
  background: var(--sheet);
  border: 1px solid var(--rule);
}
text {
  font: 12px var(--mono);
  fill: var(--ink2);
}
.grid {
  stroke: var(--rule);
}
.tick {
  stroke: var(--ink2);
}
.band {
  fill: var(--passWash);
}
.duty {
  fill: var(--metal);
}
.curve {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.8;
  stroke-linejoin: round;
}
.target {
  fill: none;
  stroke: var(--pass);
  stroke-width: 1.5;
}
.ceiling {
  stroke: var(--stop);
  stroke-dasharray: 6 4;
}
.mark rect {
  fill: var(--stop);
  fill-opacity: 0.28;
}
</style>
