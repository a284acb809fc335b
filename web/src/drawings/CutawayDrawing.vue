<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import CutawayBody from './CutawayBody.vue'

/* Section through tool head and filament path. Every part is a check box: click it, press its
   letter, or reach it with Tab and press Space. */
type Part = Schemas['Part']
const props = defineProps<{ direct: boolean; allMetal: boolean; nozzle: string; chosen: Part[] }>()
const emit = defineEmits<{ toggle: [part: Part] }>()

interface Spot {
  part: Part
  letter: string
  name: string
  /** Where the label stands and on which side its text grows. */
  at: [number, number]
  anchor?: 'start' | 'end'
  leader: string
}
const spots = computed<Spot[]>(() => {
  const d = props.direct
  const all: (Spot | false)[] = [
    d
      ? { part: 'extruder_drive', letter: 'E', name: 'extruder drive', at: [14, 54], leader: 'M134 49H256' }
      : { part: 'extruder_drive', letter: 'E', name: 'extruder drive', at: [14, 306], leader: '' },
    d
      ? {
          part: 'extruder_motor',
          letter: 'M',
          name: 'extruder motor',
          at: [470, 88],
          leader: 'M464 83H430L408 72',
        }
      : { part: 'extruder_motor', letter: 'M', name: 'extruder motor', at: [14, 344], leader: '' },
    !d && {
      part: 'extruder_coupler',
      letter: 'X',
      name: 'extruder coupler',
      at: [97, 196],
      leader: 'M93 191H82',
    },
    !d && { part: 'tube', letter: 'T', name: 'tube', at: [112, 120], leader: 'M108 115H83' },
    d && { part: 'tube', letter: 'T', name: 'inner tube', at: [14, 138], leader: 'M112 133H292' },
    { part: 'filament_cutter', letter: 'C', name: 'filament cutter', at: [470, 116], leader: 'M464 111H366' },
    !d && {
      part: 'hot_end_coupler',
      letter: 'U',
      name: 'hot-end coupler',
      at: [470, 148],
      leader: 'M464 143H322',
    },
    {
      part: 'hot_end_assembly',
      letter: 'A',
      name: 'complete hot end',
      at: [470, 176],
      leader: 'M464 171H366',
    },
    { part: 'hot_end_fan', letter: 'F', name: 'hot-end fan', at: [470, 232], leader: 'M464 227H414' },
    {
      part: 'heat_break',
      letter: 'K',
      name: `heat break, ${props.allMetal ? 'all-metal' : 'lined'}`,
      at: [470, 326],
      leader: 'M464 321H313',
    },
    { part: 'heater_block', letter: 'B', name: 'heater block', at: [470, 366], leader: 'M464 361H366' },
    {
      part: 'heater_cartridge',
      letter: 'H',
      name: 'heater cartridge',
      at: [470, 394],
      leader: 'M464 389H354',
    },
    { part: 'silicone_sock', letter: 'O', name: 'silicone sock', at: [470, 432], leader: 'M464 427H374' },
    {
      part: 'nozzle',
      letter: 'N',
      name: `nozzle, ${props.nozzle}`,
      at: [470, 464],
      leader: 'M464 459H420L326 446',
    },
    { part: 'bed_surface', letter: 'D', name: 'bed surface', at: [470, 512], leader: 'M464 507H452' },
    {
      part: 'temperature_sensor',
      letter: 'S',
      name: 'temperature sensor',
      at: [14, 380],
      leader: 'M180 375H222L251 386',
    },
    { part: 'part_fan', letter: 'P', name: 'part fan', at: [14, 422], leader: 'M98 417H178' },
    { part: 'bed_probe', letter: 'R', name: 'bed probe', at: [14, 454], leader: 'M108 449H120' },
    { part: 'control_board', letter: 'G', name: 'control board, firmware', at: [14, 548], leader: '' },
  ]
  return all.filter((s): s is Spot => s !== false)
})
/* Left of the drawing a longer label would run into its leader or the fins. */
const below = (s: Spot) => s.at[0] < 400 && s.part !== 'control_board'
const on = (part: Part) => props.chosen.includes(part)
const tone = (part: Part) => ({ on: on(part) })
useEventListener(document, 'keydown', (event: KeyboardEvent) => {
  const target = event.target as HTMLElement
  if (target.matches('input, textarea, select') || event.ctrlKey || event.metaKey || event.altKey) return
  const spot = spots.value.find((s) => s.letter === event.key.toUpperCase())
  if (spot) {
    event.preventDefault()
    emit('toggle', spot.part)
  }
})
</script>

<template>
  <svg
    width="100%"
    height="100%"
    viewBox="0 0 690 560"
    data-letters
    role="group"
    aria-label="Section through the tool head: choose the parts that were replaced"
  >
    <CutawayBody :direct="direct" :all-metal="allMetal" :chosen="chosen" />
    <g
      v-for="s in spots"
      :key="s.part"
      role="checkbox"
      tabindex="0"
      :aria-checked="on(s.part)"
      :aria-label="`${s.name}, replaced`"
      :class="['label-spot', tone(s.part)]"
      @click="emit('toggle', s.part)"
      @keydown.space.prevent="emit('toggle', s.part)"
      @keydown.enter.exact.prevent="emit('toggle', s.part)"
    >
      <path v-if="s.leader" :d="s.leader" class="leader" />
      <rect
        :x="s.at[0] - 6"
        :y="s.at[1] - 18"
        :width="s.at[0] > 400 ? 224 : 40 + s.name.length * 7.6"
        height="26"
        class="hit"
      />
      <text :x="s.at[0]" :y="s.at[1]">
        <tspan class="letter">{{ s.letter }}</tspan>
        {{ s.name }}{{ on(s.part) && !below(s) ? ', replaced' : '' }}
        <tspan v-if="on(s.part) && below(s)" :x="s.at[0]" dy="17">replaced</tspan>
      </text>
    </g>
  </svg>
</template>

<style scoped>
text {
  font-family: var(--text);
  font-size: 15px;
}
.letter {
  font-weight: 700;
}
.leader {
  stroke: var(--ink2);
  stroke-width: 1;
  fill: none;
}
.label-spot {
  cursor: pointer;
  outline: none;
}
.hit {
  fill: transparent;
}
.label-spot:hover .hit {
  fill: var(--sheet);
}
.label-spot:focus-visible .hit {
  stroke: var(--accent);
  stroke-width: 3;
}
.label-spot.on text {
  fill: var(--accent);
  font-weight: 700;
}
.label-spot.on .leader {
  stroke: var(--accent);
}
</style>
