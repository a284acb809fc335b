<script setup lang="ts">
import type { Schemas } from '../api/client'

/* The metal and plastic of the section through tool head and filament path, without its labels: within an svg of
   690 by 560. */
type Part = Schemas['Part']
const props = defineProps<{ direct: boolean; allMetal: boolean; chosen: readonly Part[] }>()
const tone = (part: Part) => ({ on: props.chosen.includes(part) })
const fins = [150, 172, 194, 216, 238, 260, 282]
</script>

<template>
  <g>
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
  </g>
</template>

<style scoped>
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
</style>
