<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref, toRaw, watchEffect } from 'vue'

import { useTokens } from '../app/theme'
import { BOUND, type Drawn } from './usePrint'

/* One layer true to scale, bead by bead; the numbers of the bead under the pointer. */
const props = defineProps<{ layer: Drawn; bounds: [number, number, number, number] }>()
const box = ref<HTMLElement>()
const canvas = ref<HTMLCanvasElement>()
const tokens = useTokens()
const { width, height } = useElementSize(box)
/* Hundreds of thousands of numbers: watched one by one they would take longer than they take to draw. */
const numbers = computed(() => toRaw(props.layer))
/* Millimetres to pixels: the part's own outline fills the sheet, the same for each layer. */
const view = computed(() => {
  const [x0, x1, y0, y1] = props.bounds
  const margin = 18
  const scale = Math.min(
    (width.value - 2 * margin) / Math.max(1, x1 - x0),
    (height.value - 2 * margin) / Math.max(1, y1 - y0),
  )
  return {
    scale,
    left: (width.value - scale * (x1 - x0)) / 2 - scale * x0,
    low: (height.value + scale * (y1 - y0)) / 2 + scale * y0,
  }
})
watchEffect(() => {
  const at = canvas.value
  const ink = at?.getContext('2d')
  if (!at || !ink || !width.value || !height.value) return
  const dots = window.devicePixelRatio || 1
  at.width = Math.round(width.value * dots)
  at.height = Math.round(height.value * dots)
  const { scale, left, low } = view.value
  ink.setTransform(dots, 0, 0, dots, 0, 0)
  ink.clearRect(0, 0, width.value, height.value)
  const { ends_mm: e, widths_mm: w } = numbers.value
  /* A path a width, so that a layer of 200 000 beads is a few strokes. */
  const paths = new Map<number, Path2D>()
  for (let i = 0; i < w.length; i += 1) {
    const key = Math.round((w[i] ?? 0) * 20)
    let path = paths.get(key)
    if (!path) paths.set(key, (path = new Path2D()))
    path.moveTo(left + (e[4 * i] ?? 0) * scale, low - (e[4 * i + 2] ?? 0) * scale)
    path.lineTo(left + (e[4 * i + 1] ?? 0) * scale, low - (e[4 * i + 3] ?? 0) * scale)
  }
  ink.lineCap = 'round'
  const travel = paths.get(0)
  paths.delete(0)
  for (const [edge, colour] of [
    [0.9, tokens.value.ink],
    [-0.9, tokens.value.filament],
  ] as const) {
    ink.strokeStyle = colour
    for (const [key, path] of paths) {
      ink.lineWidth = Math.max(0.6, (key / 20) * scale + edge)
      ink.stroke(path)
    }
  }
  if (travel) {
    ink.lineWidth = 1
    ink.strokeStyle = tokens.value.ink2
    ink.setLineDash([4, 4])
    ink.stroke(travel)
    ink.setLineDash([])
  }
  const first = w.findIndex((v) => v > 0)
  if (first >= 0) {
    ink.lineWidth = 2.5
    ink.strokeStyle = tokens.value.accent
    ink.beginPath()
    ink.arc(left + (e[4 * first] ?? 0) * scale, low - (e[4 * first + 2] ?? 0) * scale, 6, 0, 7)
    ink.stroke()
  }
})
const under = ref<number | null>(null)
function look(event: PointerEvent) {
  const at = canvas.value?.getBoundingClientRect()
  if (!at) return
  const { scale, left, low } = view.value
  const x = (event.clientX - at.left - left) / scale
  const y = (low - (event.clientY - at.top)) / scale
  const { ends_mm: e, widths_mm: w } = numbers.value
  let best = null
  let near = 6 / scale
  for (let i = 0; i < w.length; i += 1) {
    if (!w[i]) continue
    const [ax, bx, ay, by] = [e[4 * i] ?? 0, e[4 * i + 1] ?? 0, e[4 * i + 2] ?? 0, e[4 * i + 3] ?? 0]
    const [dx, dy] = [bx - ax, by - ay]
    const t = Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy || 1)))
    const off = Math.hypot(x - ax - t * dx, y - ay - t * dy)
    if (off < near) {
      near = off
      best = i
    }
  }
  under.value = best
}
const says = computed(() => {
  const i = under.value
  const l = numbers.value
  const bound = i === null ? undefined : l.bounds[i]
  if (i === null || !bound) return 'Point at a bead for its numbers.'
  return `Line ${l.lines[i]}: ${l.widths_mm[i]?.toFixed(2)} mm wide, up to ${l.speeds_mm_s[i]?.toFixed(0)} mm/s, bound by ${BOUND[bound]}`
})
const beads = computed(() => numbers.value.widths_mm.filter((w) => w > 0).length)
</script>

<template>
  <figure>
    <div ref="box" class="box">
      <canvas
        ref="canvas"
        role="img"
        :aria-label="`Layer at ${layer.z_mm.toFixed(2)} mm: ${beads} beads`"
        @pointermove="look"
        @pointerleave="under = null"
      />
    </div>
    <figcaption class="quiet">
      True to scale, layer {{ layer.height_mm.toFixed(2) }} mm thick. Ring: where it begins. Dashes:
      travel.<br />
      <span class="mono">{{ says }}</span>
      <template v-if="layer.cut"> The layer has more beads than are drawn.</template>
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
  display: flex;
  flex-direction: column;
  min-height: 0;
  height: 100%;
}
.box {
  flex: 1;
  min-height: 260px;
  position: relative;
  overflow: hidden;
}
canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
figcaption {
  min-height: 50px;
}
</style>
