<script setup lang="ts">
import { usePen } from '../app/pen'

/* Nozzle, block and heat break in section: a tool on each, the gap that must stay, where to look for seep. */
const { temperature } = usePen()
defineProps<{ at: number | null; now: number | null }>()
</script>

<template>
  <svg
    width="100%"
    viewBox="0 0 700 210"
    role="img"
    aria-label="Nozzle against the heat break: hold the block, keep a gap under the hex, look above for seep"
  >
    <defs>
      <pattern id="cut2" width="8" height="8" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <path d="M0 0V8" class="hatch" />
      </pattern>
    </defs>
    <path d="M330 6h40v66h-40z" class="metal edge" />
    <path d="M250 60h80v76h-80zM370 60h80v76h-80z" class="metal" />
    <path d="M250 60h80v76h-80zM370 60h80v76h-80z" fill="url(#cut2)" class="edge" />
    <path d="M334 74h32v62h-32z" class="brass edge" />
    <path d="M316 144h68v22h-68z" class="brass edge" />
    <path d="M334 166h32l-10 22h-12z" class="brass edge" />
    <path d="M346 6h8v182h-8z" class="bore" />
    <path d="M330 73h40" class="joint" />
    <path d="M250 98H90" class="tool" />
    <path d="M384 155H560" class="tool" />
    <text x="86" y="88" text-anchor="start">hold the block</text>
    <text x="470" y="182">turn the nozzle</text>
    <path d="M314 140 236 172" class="leader" />
    <text x="230" y="182" text-anchor="end">gap of half a millimetre stays</text>
    <path d="M372 72 470 36" class="leader" />
    <text x="474" y="36">nozzle meets heat break here</text>
    <text x="474" y="56" class="quiet">look above the block for seep</text>
    <text x="474" y="112" class="big">
      {{ at === null ? `${temperature(now)}${now === null ? '' : ' now'}` : `at ${temperature(at)}` }}
    </text>
  </svg>
</template>

<style scoped>
svg {
  max-height: 190px;
}
.metal {
  fill: var(--metal);
}
.brass {
  fill: var(--filament);
}
.edge {
  stroke: var(--ink);
  stroke-width: 1.8;
}
.hatch {
  stroke: var(--ink2);
}
.bore {
  fill: var(--sheet);
  stroke: var(--ink);
}
.joint {
  stroke: var(--accent);
  stroke-width: 4;
}
.tool {
  stroke: var(--ink);
  stroke-width: 9;
  stroke-linecap: round;
}
.leader {
  stroke: var(--ink2);
  fill: none;
}
text {
  font: 15px var(--text);
  fill: var(--ink);
}
.quiet {
  fill: var(--ink2);
}
.big {
  font: 24px var(--mono);
}
</style>
