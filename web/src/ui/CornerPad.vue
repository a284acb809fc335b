<script setup lang="ts">
/* Four corners on a picture, dragged or moved by arrow keys; what was found is drawn between them. */
import { computed, ref } from 'vue'

type Place = [number, number]
const model = defineModel<[Place, Place, Place, Place]>({ required: true })
const props = defineProps<{ drawn: number[][][]; width: number; height: number }>()
const names = ['top left', 'top right', 'bottom right', 'bottom left']
const pad = ref<HTMLElement>()
const held = ref<number | null>(null)
const inside = (v: number) => Math.min(1, Math.max(0, v))
function put(i: number, [x, y]: Place) {
  model.value = model.value.map((c, k) => (k === i ? [inside(x), inside(y)] : c)) as typeof model.value
}
function grab(i: number, event: PointerEvent) {
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  held.value = i
}
function move(event: PointerEvent) {
  const box = pad.value?.getBoundingClientRect()
  if (held.value === null || !box) return
  put(held.value, [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height])
}
const ways: Record<string, Place | undefined> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
}
function nudge(i: number, event: KeyboardEvent) {
  const way = ways[event.key]
  if (!way) return
  event.preventDefault()
  const step = event.shiftKey ? 0.05 : 0.005
  const [x, y] = model.value[i] ?? [0, 0]
  put(i, [x + step * way[0], y + step * way[1]])
}
const places = (p: number[][]) =>
  p
    .map(([x, y]) => `${((x ?? 0) * props.width).toFixed(1)},${((y ?? 0) * props.height).toFixed(1)}`)
    .join(' ')
const pen = computed(() => Math.max(props.width, props.height) / 300)
</script>

<template>
  <div ref="pad" class="pad">
    <slot />
    <svg class="over" :viewBox="`0 0 ${width} ${height}`" aria-hidden="true">
      <polygon :points="places(model)" class="under" :stroke-width="pen * 3" />
      <polygon :points="places(model)" class="field" :stroke-width="pen" />
      <template v-for="(way, i) in drawn" :key="i">
        <polyline :points="places(way)" class="under" :stroke-width="pen * 2" />
        <polyline :points="places(way)" class="found" :stroke-width="pen" />
      </template>
    </svg>
    <button
      v-for="(c, i) in model"
      :key="i"
      type="button"
      :aria-label="`Corner ${names[i]}: ${Math.round(c[0] * 100)} % from the left, ${Math.round(c[1] * 100)} % from the top`"
      :style="{ left: `${c[0] * 100}%`, top: `${c[1] * 100}%` }"
      @pointerdown="grab(i, $event)"
      @pointermove="move"
      @pointerup="held = null"
      @pointercancel="held = null"
      @keydown="nudge(i, $event)"
    />
  </div>
</template>

<style scoped>
.pad {
  position: relative;
  margin: 0 auto;
  max-width: 100%;
}
.under,
.field,
.found {
  fill: none;
  stroke-linejoin: round;
}
.under {
  stroke: var(--sheet);
  opacity: 0.7;
}
.field {
  stroke: var(--ink);
  stroke-dasharray: 14 10;
}
.found {
  stroke: var(--accent);
}
/* As large as a finger; what is seen is its ring. */
button {
  position: absolute;
  width: 44px;
  height: 44px;
  margin: -22px 0 0 -22px;
  padding: 0;
  border: 0;
  background: none;
  touch-action: none;
  cursor: move;
}
button::after {
  content: '';
  position: absolute;
  inset: 14px;
  border: 3px solid var(--ink);
  outline: 2px solid var(--sheet);
  background: transparent;
}
button:focus-visible::after {
  border-color: var(--accent);
}
</style>
