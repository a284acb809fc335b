<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import CutawayBody from './CutawayBody.vue'

/* Where on the machine a check is made: the section around its part, and how the hand or the filament moves. */
type Part = Schemas['Part']
const props = defineProps<{
  part: Part
  action: string
  direct: boolean
  allMetal: boolean
  label: string
}>()
const places = computed<Partial<Record<Part, [number, number]>>>(() => ({
  nozzle: [300, 452],
  heat_break: [300, 336],
  heater_block: [300, 404],
  heater_cartridge: [340, 389],
  temperature_sensor: [260, 387],
  silicone_sock: [300, 424],
  hot_end_fan: [400, 236],
  part_fan: [212, 440],
  hot_end_assembly: [300, 226],
  extruder_drive: props.direct ? [300, 50] : [70, 240],
  extruder_motor: props.direct ? [380, 50] : [151, 240],
  tube: props.direct ? [300, 134] : [126, 66],
  hot_end_coupler: [300, 138],
  extruder_coupler: [70, 192],
  filament_cutter: [338, 106],
  bed_probe: [131, 456],
  bed_surface: [282, 506],
  control_board: [50, 500],
  frame: [282, 522],
  bed: [282, 522],
}))
type Move = 'pull' | 'down' | 'sideways' | 'turn'
const moves: Record<string, Move | undefined> = {
  pull_tube: 'pull',
  tube_out: 'pull',
  rock_bed: 'pull',
  free_feed: 'down',
  feed_100: 'down',
  slip_test: 'down',
  load: 'down',
  move_head: 'sideways',
  tug_sensor: 'sideways',
  push_axes: 'sideways',
  plugs: 'sideways',
  turn_spool: 'turn',
  fan: 'turn',
}
const move = computed(() => moves[props.action])
const at = computed<[number, number]>(() => places.value[props.part] ?? [300, 300])
const wide = 420
const high = 250
/* The part in the middle, as far as the drawing reaches. */
const left = computed(() => Math.min(Math.max(at.value[0] - wide / 2, 0), 690 - wide))
const top = computed(() => Math.min(Math.max(at.value[1] - high / 2, 0), 560 - high))
/* The label stands on the side where there is room. */
const right = computed(() => at.value[0] - left.value < wide * 0.55)
const end = computed(() => (right.value ? left.value + wide - 12 : left.value + 12))
/* Where the label's ink ends, towards the part: about 8.4 a letter at this size. */
const ink = computed(() => end.value + (right.value ? -1 : 1) * (8.4 * props.label.length + 6))
const below = computed(() => (at.value[1] - top.value < 70 ? at.value[1] + 64 : top.value + 18))
</script>

<template>
  <svg
    width="100%"
    height="100%"
    :viewBox="`${left} ${top} ${wide} ${high}`"
    role="img"
    :aria-label="`Where: ${label}`"
    preserveAspectRatio="xMidYMid meet"
  >
    <CutawayBody :direct="direct" :all-metal="allMetal" :chosen="[part]" />
    <path :d="`M${at[0] + (right ? 34 : -34)} ${at[1] - 8}L${ink} ${below}`" class="leader" />
    <circle :cx="at[0]" :cy="at[1]" r="36" class="ring" />
    <g v-if="move" class="move" :transform="`translate(${at[0] + (right ? -64 : 64)} ${at[1]})`">
      <path v-if="move === 'pull'" d="M0 -30V30M-8 -22L0 -32L8 -22M-8 22L0 32L8 22" />
      <path v-else-if="move === 'down'" d="M0 -32V30M-9 20L0 32L9 20" />
      <path v-else-if="move === 'sideways'" d="M-22 0H22M-14 -8L-24 0L-14 8M14 -8L24 0L14 8" />
      <path v-else d="M-20 8A21 21 0 1 1 12 18M20 8L12 19L1 12" />
    </g>
    <text :x="end" :y="below + 5" :text-anchor="right ? 'end' : 'start'">{{ label }}</text>
  </svg>
</template>

<style scoped>
text {
  font-family: var(--text);
  font-size: 16px;
  font-weight: 700;
  paint-order: stroke;
  stroke: var(--paper);
  stroke-width: 5px;
}
.leader {
  stroke: var(--ink2);
  fill: none;
}
.ring {
  fill: none;
  stroke: var(--accent);
  stroke-width: 2.5;
  stroke-dasharray: 7 5;
}
.move path {
  fill: none;
  stroke: var(--accent);
  stroke-width: 4;
}
</style>
