<script setup lang="ts">
import { computed } from 'vue'

/* The box from above with its four walls; each is drawn as thick as it was measured. */
const props = defineProps<{
  walls: { side: number; mm: number | null }[]
  target: number | null
  says: string
}>()
const asked = computed(() => (props.target !== null && props.target > 0 ? props.target : 0.45))
const thick = (side: number) => {
  const all = props.walls.flatMap((w) => (w.side === side && w.mm !== null && w.mm > 0 ? [w.mm] : []))
  const first = all.length ? all.reduce((a, b) => a + b, 0) / all.length : asked.value
  return Math.min(34, Math.max(3, (first / asked.value) * 14))
}
</script>

<template>
  <svg
    width="100%"
    viewBox="0 0 690 170"
    role="img"
    aria-label="Box from above with four walls, caliper on side 2"
  >
    <rect x="180" y="14" width="190" :height="thick(3)" class="plastic" />
    <rect :x="370 - thick(2)" y="14" :width="thick(2)" height="142" class="plastic" />
    <rect x="180" :y="156 - thick(1)" width="190" :height="thick(1)" class="plastic" />
    <rect x="180" y="14" :width="thick(4)" height="142" class="plastic" />
    <text x="275" :y="148 - thick(1)" text-anchor="middle">side 1</text>
    <text :x="360 - thick(2)" y="90" text-anchor="end">2</text>
    <text x="275" :y="32 + thick(3)" text-anchor="middle">3</text>
    <text :x="190 + thick(4)" y="90">4</text>
    <path :d="`M${370 - thick(2) - 6} 70v26h6v-9z`" class="metal" />
    <path d="M370 87v9h150v-22h-140z" class="metal" />
    <path d="M400 74v8m14-8v8m14-8v8m14-8v8m14-8v8m14-8v8m14-8v8" class="line" />
    <text v-if="says" x="532" y="92">asked {{ says }}</text>
  </svg>
</template>

<style scoped>
svg {
  max-height: 170px;
}
</style>
