<script setup lang="ts">
import { computed } from 'vue'

/* A nozzle laying beads, cut across and true to scale: what the bore, the line and the layer are to each other. */
const props = defineProps<{
  bore: number | null
  width: number | null
  layer: number | null
  boreSays: string
  widthSays: string
  layerSays: string
}>()
const BED = 176
const MIDDLE = 345
const d = computed(() => props.bore ?? 0.4)
const w = computed(() => Math.min(4, props.width ?? d.value * 1.1))
const h = computed(() => Math.min(w.value, props.layer ?? d.value * 0.5))
/* Three beads side by side and a layer below them find room. */
const scale = computed(() => Math.min(420 / (3.4 * w.value), 60 / h.value, 300))
const bead = computed(() => ({
  w: w.value * scale.value,
  h: h.value * scale.value,
  d: d.value * scale.value,
}))
/** The outline of a bead: flat above and below, round at its sides. */
function outline(n: number, layer: number) {
  const { w, h } = bead.value
  const x = MIDDLE + n * w - w / 2
  const y = BED - (layer + 1) * h
  const r = h / 2
  return `M${x + r} ${y}H${x + w - r}A${r} ${r} 0 0 1 ${x + w - r} ${y + h}H${x + r}A${r} ${r} 0 0 1 ${x + r} ${y}Z`
}
const beads = computed(() => [...[-1, 0, 1].map((n) => outline(n, 0)), ...[-1, 0].map((n) => outline(n, 1))])
const tip = computed(() => BED - 2 * bead.value.h)
const land = computed(() => bead.value.d * 1.1)
</script>

<template>
  <svg
    width="100%"
    viewBox="0 0 690 200"
    role="img"
    aria-label="Beads under the nozzle, cut across, true to scale"
  >
    <rect x="60" :y="BED" width="570" height="12" class="metal" />
    <path v-for="(b, i) in beads" :key="i" :d="b" class="plastic" />
    <path
      :d="`M${MIDDLE - bead.d / 2 - land} ${tip}H${MIDDLE - bead.d / 2}V8H${MIDDLE - bead.d / 2 - land * 2.4}Z`"
      class="metal-dark"
    />
    <path
      :d="`M${MIDDLE + bead.d / 2 + land} ${tip}H${MIDDLE + bead.d / 2}V8H${MIDDLE + bead.d / 2 + land * 2.4}Z`"
      class="metal-dark"
    />
    <rect :x="MIDDLE - bead.d / 2" y="8" :width="bead.d" :height="Math.max(0, tip - 8)" class="plastic" />
    <text :x="MIDDLE + bead.d / 2 + land * 2.4 + 12" y="24" class="now">bore {{ boreSays }}</text>
    <template v-if="width !== null">
      <path
        :d="`M${MIDDLE - bead.w * 1.5} ${tip - 10}V${BED}M${MIDDLE - bead.w / 2} ${tip - 4}V${BED}`"
        class="thin"
      />
      <text :x="MIDDLE - bead.w - 4" :y="tip - 14" text-anchor="end" class="now">line {{ widthSays }}</text>
    </template>
    <template v-if="layer !== null">
      <path
        :d="`M${MIDDLE + bead.w * 1.5} ${BED - bead.h}H620M${MIDDLE + bead.w * 1.5} ${BED}H620`"
        class="thin"
      />
      <text x="612" :y="BED - bead.h - 6" text-anchor="end" class="now">layer {{ layerSays }}</text>
    </template>
  </svg>
</template>

<style scoped>
svg {
  max-height: 190px;
}
</style>
