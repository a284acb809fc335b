<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { computed } from 'vue'

import type { Schemas } from '../api/client'

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
const fins = [150, 172, 194, 216, 238, 260, 282]
</script>

<template>
  <svg
    viewBox="0 0 690 560"
    data-letters
    role="group"
    aria-label="Section through the tool head: choose the parts that were replaced"
  >
    <defs>
      <pattern id="hatch" width="9" height="9" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <path d="M0 0V9" class="thin" />
      </pattern>
    </defs>
    <!-- Filament first: everything is cut open around it. -->
    <g class="tube" :class="tone('tube')">
      <template v-if="!direct">
        <path d="M70 188V96Q70 40 126 40H244Q300 40 300 96V150" class="bore" />
        <path d="M70 188V96Q70 40 126 40H244Q300 40 300 96V150" class="inside" />
      </template>
      <path v-else d="M300 118V150" class="bore" />
      <path v-if="!allMetal" d="M300 150V420" class="bore" />
    </g>
    <path v-if="!direct" d="M70 292V96Q70 40 126 40H244Q300 40 300 96V452" class="melt" />
    <path v-else d="M300 6V452" class="melt" />

    <g :class="['cut', tone('hot_end_assembly')]">
      <rect v-for="y in fins" :key="y" x="236" :y="y" width="52" height="13" class="metal-dark" />
      <rect v-for="y in fins" :key="`r${y}`" x="312" :y="y" width="52" height="13" class="metal-dark" />
      <path d="M278 146h10v158h-10zM312 146h10v158h-10z" class="metal" />
      <path d="M278 146h10v158h-10zM312 146h10v158h-10z" fill="url(#hatch)" />
    </g>
    <g :class="['cut', tone('heat_break')]">
      <path d="M290 296h5v80h-5zM305 296h5v80h-5z" class="metal" />
      <path d="M286 330h9v20h-9zM305 330h9v20h-9z" class="metal" />
    </g>
    <g :class="['cut', tone('heater_block')]">
      <path d="M236 350h54v76h-54zM310 350h54v76h-54z" class="metal" />
      <path d="M236 350h54v76h-54zM310 350h54v76h-54z" fill="url(#hatch)" />
    </g>
    <g :class="['cut', tone('heater_cartridge')]">
      <circle cx="340" cy="389" r="14" class="metal-dark" />
      <path d="M331 389h18m-9-9v18" class="line" />
    </g>
    <g :class="['cut', tone('temperature_sensor')]">
      <circle cx="260" cy="387" r="8" class="metal" />
      <circle cx="260" cy="387" r="2.5" class="dot" />
    </g>
    <path :class="['cut', 'line', 'dash', tone('silicone_sock')]" d="M268 434h-40v-92h144v92h-40" />
    <g :class="['cut', tone('nozzle')]">
      <path d="M274 428h22v20h-22zM304 428h22v20h-22z" class="metal-dark" />
      <path d="M282 448h15v26h-2zM318 448h-15v26h2z" class="metal-dark" />
    </g>
    <g :class="['cut', tone('hot_end_fan')]">
      <rect x="388" y="180" width="24" height="112" class="metal" />
      <path d="M400 186q-9 24 0 50t0 50" class="line" />
      <path d="M384 205h-14m5-5-5 5 5 5M384 235h-14m5-5-5 5 5 5M384 265h-14m5-5-5 5 5 5" class="line" />
    </g>
    <g v-if="!direct" :class="['cut', tone('hot_end_coupler')]">
      <path d="M280 128h12v20h-12zM308 128h12v20h-12z" class="metal-dark" />
    </g>
    <g :class="['cut', tone('filament_cutter')]">
      <path d="M312 106l38-9v18z" class="metal" />
      <circle cx="356" cy="106" r="6" class="metal-dark" />
    </g>
    <g v-if="!direct" :class="['cut', tone('extruder_coupler')]">
      <path d="M52 182h10v20h-10zM78 182h10v20h-10z" class="metal-dark" />
    </g>
    <g :class="['cut', tone('extruder_drive')]" :transform="direct ? 'translate(230 -190)' : ''">
      <path d="M32 204h26v72h-26zM82 204h26v72h-26z" class="metal" />
      <path d="M32 204h26v72h-26zM82 204h26v72h-26z" fill="url(#hatch)" />
      <circle cx="46" cy="240" r="20" class="metal" />
      <circle cx="94" cy="240" r="20" class="metal-dark" />
      <circle cx="46" cy="240" r="4" class="dot" />
      <circle cx="94" cy="240" r="4" class="dot" />
    </g>
    <g :class="['cut', tone('extruder_motor')]" :transform="direct ? 'translate(230 -190)' : ''">
      <path d="M114 240h10" class="line" />
      <rect x="124" y="214" width="54" height="52" class="metal" />
    </g>
    <g :class="['cut', tone('part_fan')]">
      <path d="M178 398h30v40l34 30-12 14-52-34z" class="metal" />
    </g>
    <g :class="['cut', tone('bed_probe')]">
      <rect x="122" y="432" width="18" height="46" class="metal" />
      <path d="M131 478v18" class="line" stroke-width="4" />
    </g>
    <g :class="['cut', tone('bed_surface')]">
      <rect x="112" y="500" width="340" height="13" class="metal" />
    </g>
    <rect x="112" y="513" width="340" height="18" class="metal" />
    <rect x="112" y="513" width="340" height="18" fill="url(#hatch)" />
    <g :class="['cut', tone('control_board')]">
      <rect x="14" y="480" width="72" height="40" class="metal" />
      <rect x="34" y="491" width="20" height="18" class="metal-dark" />
      <path d="M62 490h16m-16 8h16m-16 8h16" class="line" />
    </g>

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
svg {
  width: 100%;
  height: 100%;
}
text {
  font-family: var(--text);
  font-size: 15px;
}
.letter {
  font-weight: 700;
}
.bore {
  fill: none;
  stroke: var(--ink);
  stroke-width: 19;
}
.inside {
  fill: none;
  stroke: var(--sheet);
  stroke-width: 16;
}
.tube.on .bore {
  stroke: var(--accent);
}
.melt {
  fill: none;
  stroke: var(--filament);
  stroke-width: 8;
}
.cut.on .metal,
.cut.on .metal-dark,
.cut.on .line,
.cut.on.line {
  stroke: var(--accent);
  stroke-width: 3;
}
.cut.on .metal,
.cut.on .metal-dark {
  fill: var(--wash);
}
.dash {
  stroke-dasharray: 6 4;
}
.dot {
  fill: var(--ink);
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
