<script setup lang="ts">
/* Reference pictures for the looks of a surface, 0 (none) to 5 (all over): drawn by one rule, so that two people score alike. */
const SCORES = [0, 1, 2, 3, 4, 5]
const ROWS = ['corners', 'shadows', 'gaps', 'blobs'] as const
const x = (score: number) => 112 + score * 97
const y = (row: number) => 24 + row * 60
/** Seen from above: at the corner the line swells, behind it it is thin. */
const swell = (score: number) => 3 + 1.5 * score
const thin = (score: number) => 6 - 1.05 * score
/** Waves beside an edge: farther and higher the worse. */
const waves = (score: number) => Array.from({ length: score }, (_, k) => k)
const gap = (score: number) => 0.95 * score - 0.6
/** Scattered evenly, the same on each picture. */
const scatter = (k: number, by: number) => (k * by + 0.35) % 1
const blobs = (score: number) => Array.from({ length: [0, 1, 3, 6, 10, 16][score] ?? 0 }, (_, k) => k)
</script>

<template>
  <svg
    width="100%"
    viewBox="0 0 690 284"
    role="img"
    aria-label="Reference pictures for corners, shadows, gaps and blobs"
  >
    <text v-for="s in SCORES" :key="s" :x="x(s) + 38" y="14" class="now mid">{{ s }}</text>
    <g v-for="(name, row) in ROWS" :key="name">
      <text x="8" :y="y(row) + 28" class="now">{{ name }}</text>
      <g v-for="s in SCORES" :key="s" :transform="`translate(${x(s)} ${y(row)})`">
        <template v-if="name === 'corners'">
          <path d="M12 48V14H22" class="bead" stroke-width="6" />
          <path d="M22 14H48" class="bead" :stroke-width="thin(s)" />
          <path d="M48 14H76" class="bead" stroke-width="6" />
          <circle cx="12" cy="14" :r="swell(s)" class="filled" />
        </template>
        <template v-else-if="name === 'shadows'">
          <path d="M2 4h74v44h-74z" class="plate" />
          <path d="M14 4v44" class="edge" />
          <path
            v-for="k in waves(s)"
            :key="k"
            :d="`M${23 + k * 10} 4v44`"
            class="shade"
            :stroke-width="1 + 0.7 * (s - k)"
          />
        </template>
        <template v-else-if="name === 'gaps'">
          <path d="M2 4h74v44h-74z" class="hollow" />
          <path
            v-for="k in 7"
            :key="k"
            :d="`M2 ${1.2 + k * 6.2}h74`"
            class="bead"
            :stroke-width="6.2 - gap(s)"
          />
        </template>
        <template v-else>
          <path d="M2 4h74v44h-74z" class="plate" />
          <circle
            v-for="k in blobs(s)"
            :key="k"
            :cx="7 + 64 * scatter(k, 0.7549)"
            :cy="8 + 36 * scatter(k, 0.5698)"
            :r="1.8 + ((k * 7) % 3) * 0.6"
            :class="k % 3 === 2 ? 'pit' : 'blob'"
          />
        </template>
      </g>
    </g>
    <text x="112" y="280" class="small">0: none · 2: seen close by · 5: all over</text>
  </svg>
</template>

<style scoped>
.bead {
  fill: none;
  stroke: var(--filament);
}
.filled,
.plate {
  fill: var(--filament);
}
.hollow,
.pit {
  fill: var(--ink2);
}
.edge {
  stroke: var(--ink);
  stroke-width: 2;
}
.shade {
  stroke: var(--ink2);
  opacity: 0.45;
}
.blob {
  fill: var(--filament);
  stroke: var(--ink);
  stroke-width: 1.2;
}
</style>
