<script setup lang="ts">
import { computed, useId } from 'vue'

import { BINDS, KINDS, type Band, type Layer, type PrintPage } from './usePrint'

/* The part by height: how long each layer takes, and what binds it, in hatches. */
const props = defineProps<{
  page: PrintPage
  kind: string
  bands: Band[]
}>()
const at = defineModel<number>('at', { required: true })
const W = 480
const H = 560
const LEFT = 62
const BARS = 190
const TOP = 14
const uid = useId()
const top = computed(() => Math.max(...props.page.layers.map((l) => l.z_mm), 0.1))
const y = (z: number) => TOP + (1 - z / top.value) * (H - 2 * TOP)

interface Row {
  low: number
  high: number
  seconds: number
  parts: number[]
}
/* No more rows than can be seen; several layers make one, as the mean of a layer. */
const rows = computed(() => {
  const by = [...props.page.layers].sort((a, b) => a.z_mm - b.z_mm)
  const each = Math.ceil(by.length / 140)
  const out: Row[] = []
  for (let i = 0; i < by.length; i += each) {
    const of = by.slice(i, i + each)
    const mean = (f: (l: Layer) => number) => of.reduce((s, l) => s + f(l), 0) / of.length
    out.push({
      low: Math.max(0, (of[0]?.z_mm ?? 0) - (of[0]?.height_mm ?? 0)),
      high: of.at(-1)?.z_mm ?? 0,
      seconds: mean((l) => l.seconds),
      parts: BINDS.map(([key]) => mean((l) => l.binds[key])),
    })
  }
  return out
})
const longest = computed(() => Math.max(...rows.value.map((r) => r.seconds), 1e-9))
const x = (s: number) => (s / longest.value) * BARS
/* One shape for each kind, so that hatches run through. */
const shapes = computed(() =>
  BINDS.map(([, name, hatch], k) => ({
    name,
    hatch,
    d: rows.value
      .map((r) => {
        const from = r.parts.slice(0, k).reduce((a, b) => a + b, 0)
        const w = x(r.parts[k] ?? 0)
        return w < 0.2 ? '' : `M${LEFT + x(from)} ${y(r.high)}h${w}V${y(r.low)}h${-w}z`
      })
      .join(''),
  })),
)
const ticks = computed(() => {
  const step = [0.5, 1, 2, 5, 10, 20, 50, 100].find((s) => top.value / s <= 8) ?? 200
  return Array.from({ length: Math.floor(top.value / step) + 1 }, (_, i) => i * step)
})
const layer = computed(() => props.page.layers[at.value])
const unit = computed(() => KINDS.find((k) => k.value === props.kind)?.unit ?? '')
const middle = (b: Band) => (y(Math.min(top.value, b.to_mm)) + y(Math.min(top.value, b.from_mm))) / 2
const says = computed(() =>
  layer.value
    ? `layer ${at.value + 1} of ${props.page.layers.length}, ${layer.value.z_mm.toFixed(2)} mm`
    : '',
)
function choose(event: MouseEvent) {
  const box = (event.currentTarget as SVGSVGElement).getBoundingClientRect()
  const z = (1 - (((event.clientY - box.top) / box.height) * H - TOP) / (H - 2 * TOP)) * top.value
  let best = 0
  props.page.layers.forEach((l, i) => {
    if (Math.abs(l.z_mm - z) < Math.abs((props.page.layers[best]?.z_mm ?? 0) - z)) best = i
  })
  at.value = best
}
function key(event: KeyboardEvent) {
  const last = props.page.layers.length - 1
  const to = {
    ArrowUp: at.value + 1,
    ArrowDown: at.value - 1,
    PageUp: at.value + 10,
    PageDown: at.value - 10,
    Home: 0,
    End: last,
  }[event.key]
  if (to === undefined) return
  event.preventDefault()
  at.value = Math.min(last, Math.max(0, to))
}
</script>

<template>
  <svg
    :viewBox="`0 0 ${W} ${H}`"
    class="strip"
    role="slider"
    tabindex="0"
    aria-label="Layer"
    aria-orientation="vertical"
    :aria-valuemin="1"
    :aria-valuemax="page.layers.length"
    :aria-valuenow="at + 1"
    :aria-valuetext="says"
    @click="choose"
    @keydown="key"
  >
    <defs>
      <pattern :id="`${uid}-lines`" width="6" height="5" patternUnits="userSpaceOnUse">
        <path d="M0 2.5h6" class="hatch" />
      </pattern>
      <pattern :id="`${uid}-slant`" width="7" height="7" patternUnits="userSpaceOnUse">
        <path d="M-1 8L8 -1M-1 1L1 -1M6 8L8 6" class="hatch" />
      </pattern>
      <pattern :id="`${uid}-dots`" width="6" height="6" patternUnits="userSpaceOnUse">
        <circle cx="3" cy="3" r="1.2" class="dot" />
      </pattern>
      <pattern :id="`${uid}-cross`" width="7" height="7" patternUnits="userSpaceOnUse">
        <path d="M0 3.5h7M3.5 0v7" class="hatch" />
      </pattern>
    </defs>
    <g v-for="t in ticks" :key="t">
      <path :d="`M${LEFT - 8} ${y(t)}h8`" class="tick" />
      <text :x="LEFT - 12" :y="y(t) + 4" class="mono end">{{ t }}</text>
    </g>
    <text x="2" :y="TOP - 3" class="quiet">mm</text>
    <path
      v-for="s in shapes"
      :key="s.name"
      :d="s.d"
      :fill="s.hatch === 'plain' ? 'var(--sheet)' : `url(#${uid}-${s.hatch})`"
    />
    <path :d="`M${LEFT} ${TOP}V${H - TOP}`" class="tick" />
    <g v-for="b in bands" :key="b.from_mm">
      <path :d="`M${LEFT + BARS + 16} ${y(Math.min(top, b.to_mm))}H${W - 6}`" class="edge" />
      <path :d="`M${LEFT + BARS + 16} ${y(Math.min(top, b.from_mm))}H${W - 6}`" class="edge" />
      <text :x="LEFT + BARS + 22" :y="middle(b) + (b.effective === b.value ? 5 : -3)" class="mono">
        {{ b.value }} {{ unit }}
      </text>
      <text
        v-if="b.effective !== b.value && y(b.from_mm) - y(b.to_mm) > 38"
        :x="LEFT + BARS + 22"
        :y="middle(b) + 15"
        class="quiet"
      >
        with profile {{ b.effective }}
      </text>
    </g>
    <g v-if="layer">
      <path :d="`M${LEFT} ${y(layer.z_mm)}H${W - 6}`" class="here" />
      <text :x="LEFT + 6" :y="Math.max(22, y(layer.z_mm) - 5)" class="now">{{ says }}</text>
    </g>
  </svg>
</template>

<style scoped>
.strip {
  width: 100%;
  height: 100%;
  cursor: row-resize;
}
.strip:focus-visible {
  outline: 3px solid var(--accent);
  outline-offset: -3px;
}
.hatch {
  stroke: var(--ink);
  stroke-width: 1;
  fill: none;
}
.dot {
  fill: var(--ink);
}
.tick {
  stroke: var(--ink);
  fill: none;
}
text {
  fill: var(--ink);
  font-size: 14px;
}
.end {
  text-anchor: end;
}
text.quiet {
  fill: var(--ink2);
}
.edge {
  stroke: var(--accent);
  stroke-width: 1.6;
}
.here {
  stroke: var(--accent);
  stroke-width: 1.6;
  stroke-dasharray: 6 4;
}
.now {
  fill: var(--accentInk);
  paint-order: stroke;
  stroke: var(--paper);
  stroke-width: 4px;
}
</style>
