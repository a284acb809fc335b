<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'

/* A picture with what was drawn on it; the marks keep their place at any size. */
const props = defineProps<{ photo: Schemas['Photo']; marks: Schemas['PhotoMark'][] }>()
const w = computed(() => props.photo.width)
const h = computed(() => props.photo.height)
/** The pen is as thick as a finger can follow, whatever the picture's size. */
const pen = computed(() => Math.max(w.value, h.value) / 110)
const drawn = computed(() =>
  props.marks.map((m) => {
    const [x1, y1, x2, y2] = [m.from[0] ?? 0, m.from[1] ?? 0, m.to[0] ?? 0, m.to[1] ?? 0]
    const a = { x: x1 * w.value, y: y1 * h.value }
    const b = { x: x2 * w.value, y: y2 * h.value }
    const angle = Math.atan2(b.y - a.y, b.x - a.x)
    const barb = (turn: number) =>
      `${b.x - 4 * pen.value * Math.cos(angle + turn)} ${b.y - 4 * pen.value * Math.sin(angle + turn)}`
    return {
      shape: m.shape,
      arrow: `M${a.x} ${a.y}L${b.x} ${b.y}M${barb(0.5)}L${b.x} ${b.y}L${barb(-0.5)}`,
      ring: {
        cx: (a.x + b.x) / 2,
        cy: (a.y + b.y) / 2,
        rx: Math.max(Math.abs(b.x - a.x) / 2, pen.value),
        ry: Math.max(Math.abs(b.y - a.y) / 2, pen.value),
      },
    }
  }),
)
const says = computed(() => props.photo.caption || `Picture ${props.photo.id}`)
</script>

<template>
  <span class="photo" :style="{ aspectRatio: `${w} / ${h}` }">
    <img
      :src="`/api/v1/photos/${photo.id}`"
      :alt="says"
      :width="w"
      :height="h"
      loading="lazy"
      draggable="false"
    />
    <svg v-if="drawn.length" class="over" :viewBox="`0 0 ${w} ${h}`" aria-hidden="true">
      <template v-for="(m, i) in drawn" :key="i">
        <path v-if="m.shape === 'arrow'" :d="m.arrow" class="under" :stroke-width="pen * 1.9" />
        <ellipse v-else v-bind="m.ring" class="under" :stroke-width="pen * 1.9" />
        <path v-if="m.shape === 'arrow'" :d="m.arrow" class="ink" :stroke-width="pen" />
        <ellipse v-else v-bind="m.ring" class="ink" :stroke-width="pen" />
      </template>
    </svg>
  </span>
</template>

<style scoped>
.photo {
  position: relative;
  display: block;
  max-width: 100%;
}
img {
  display: block;
  width: 100%;
  height: 100%;
  object-fit: contain;
}
.under,
.ink {
  fill: none;
  stroke-linecap: round;
  stroke-linejoin: round;
}
/* Seen on light and on dark. */
.under {
  stroke: var(--sheet);
}
.ink {
  stroke: var(--accent);
}
</style>
