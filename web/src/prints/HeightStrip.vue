<script setup lang="ts">
import { computed, ref, useId } from 'vue'

import { BINDS, KINDS, type Band, type Layer, type PrintPage } from './usePrint'

/* The part by height: how long each layer takes, and what binds it, in hatches. */
const props = defineProps<{
  page: PrintPage
  kind: string
  bands: Band[]
  /** The layer that is being printed, from 0. */
  printing?: number | null
  /** Whether the bands are being typed, and can be dragged. */
  drags?: boolean
}>()
const emit = defineEmits<{
  /** An edge of the bands, from 0 at the bottom, to a height [mm]. */
  drag: [edge: number, z: number]
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
/* Every edge of the bands that lies on the part, the lowest first. */
const edges = computed(() => {
  const first = props.bands[0]
  return first ? [first.from_mm, ...props.bands.map((b) => b.to_mm)].filter((z) => z <= top.value) : []
})
const middle = (b: Band) => (y(Math.min(top.value, b.to_mm)) + y(Math.min(top.value, b.from_mm))) / 2
const says = computed(() =>
  layer.value
    ? `layer ${at.value + 1} of ${props.page.layers.length}, ${layer.value.z_mm.toFixed(2)} mm`
    : '',
)
const svg = ref<SVGSVGElement>()
/* The height [mm] under the pointer; the drawing keeps its shape inside its box. */
function heightAt(event: MouseEvent) {
  const matrix = svg.value?.getScreenCTM()
  if (!matrix) return 0
  const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(matrix.inverse()).y
  return (1 - (at - TOP) / (H - 2 * TOP)) * top.value
}
/* The lowest edge moves all bands; every other one makes them higher or lower. */
let held: number | null = null
let dragged = false
function hold(edge: number, event: PointerEvent) {
  if (!props.drags) return
  // Text that the pull would select could be dragged away itself.
  event.preventDefault()
  held = edge
  dragged = false
  svg.value?.setPointerCapture(event.pointerId)
}
function pull(event: PointerEvent) {
  if (held === null) return
  dragged = true
  emit('drag', held, Math.min(top.value, Math.max(0, heightAt(event))))
}
function letGo() {
  held = null
}
function choose(event: MouseEvent) {
  if (dragged) {
    dragged = false
    return
  }
  const z = heightAt(event)
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
    ref="svg"
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
    @pointermove="pull"
    @pointerup="letGo"
    @pointercancel="letGo"
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
    <template v-if="drags">
      <path
        v-for="(z, i) in edges"
        :key="i"
        :d="`M${LEFT + BARS + 16} ${y(z)}H${W - 6}`"
        class="grip"
        :data-edge="i"
        @pointerdown="hold(i, $event)"
      />
    </template>
    <g v-if="printing != null && page.layers[printing]">
      <path :d="`M${LEFT} ${y(page.layers[printing]?.z_mm ?? 0)}H${LEFT + BARS}`" class="printing" />
      <text :x="LEFT + 6" :y="y(page.layers[printing]?.z_mm ?? 0) + 16" class="now">printing now</text>
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
  user-select: none;
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
.grip {
  stroke: transparent;
  stroke-width: 18;
  cursor: ns-resize;
  touch-action: none;
}
.grip:hover {
  stroke: var(--wash);
  stroke-opacity: 0.7;
}
.printing {
  stroke: var(--accent);
  stroke-width: 4;
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
