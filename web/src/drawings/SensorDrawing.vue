<script setup lang="ts">
import { usePen } from '../app/pen'

/* Block in section with the bead in its hole, a thermometer held to it, and what the printer shows. */
const { temperature } = usePen()
defineProps<{ room: number | null; shown: number | null; ohm: number | null }>()
const c = (v: number | null) => temperature(v, v === null || Number.isInteger(v) ? 0 : 1)
</script>

<template>
  <svg
    width="100%"
    viewBox="0 0 720 165"
    role="img"
    aria-label="Heater block in section: the thermometer held to it, the sensor in its hole, and the printer’s display"
  >
    <defs>
      <pattern id="cut" width="8" height="8" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <path d="M0 0V8" class="hatch" />
      </pattern>
    </defs>
    <rect x="210" y="50" width="160" height="80" class="metal" />
    <rect x="210" y="50" width="160" height="80" fill="url(#cut)" class="edge" />
    <path d="M262 130v12h56v-12M274 142l10 14h12l10-14" class="metal edge" />
    <rect x="306" y="72" width="64" height="18" class="hole" />
    <circle cx="316" cy="81" r="7" class="bead" />
    <path d="M323 78H430M323 84H430" class="wire" />
    <rect x="430" y="68" width="34" height="26" class="plug" />
    <path d="M464 78H560M464 84H560" class="wire" />
    <rect x="560" y="40" width="150" height="76" class="plug" />
    <text x="635" y="68" text-anchor="middle" class="small">printer shows</text>
    <text x="635" y="98" text-anchor="middle" class="big">{{ c(shown) }}</text>
    <path d="M196 92 60 60" class="rod" />
    <circle cx="200" cy="93" r="9" class="tip" />
    <text x="30" y="40" class="small">room, by thermometer</text>
    <text x="30" y="96" class="big">{{ c(room) }}</text>
    <text x="447" y="56" text-anchor="middle" class="small">
      at the plug: {{ ohm === null ? '?' : ohm }} Ω
    </text>
  </svg>
</template>

<style scoped>
svg {
  max-height: 140px;
}
.metal {
  fill: var(--metal);
}
.edge,
.hole,
.plug {
  stroke: var(--ink);
  stroke-width: 1.8;
}
.hatch {
  stroke: var(--ink2);
  stroke-width: 1;
}
.hole,
.plug {
  fill: var(--sheet);
}
.bead {
  fill: var(--filament);
  stroke: var(--ink);
  stroke-width: 1.5;
}
.wire {
  stroke: var(--ink);
  stroke-width: 1.8;
  fill: none;
}
.rod {
  stroke: var(--ink);
  stroke-width: 5;
  stroke-linecap: round;
}
.tip {
  fill: var(--sheet);
  stroke: var(--ink);
  stroke-width: 2;
}
.small {
  font: 14px var(--text);
  fill: var(--ink2);
}
.big {
  font: 24px var(--mono);
  fill: var(--ink);
}
</style>
