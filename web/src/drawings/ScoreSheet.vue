<script setup lang="ts">
/* Reference pictures for the looks of a band, 0 (fails) to 4 (clean): drawn by one rule, so that two people score alike. */
const SCORES = [0, 1, 2, 3, 4]
const ROWS = ['bridge', 'overhang', 'strings', 'bond'] as const
const x = (score: number) => 120 + score * 114
const y = (row: number) => 24 + row * 54
/** A bridge hangs less the better it is; at 0 it has torn. */
const sag = (score: number) => 22 - 5.5 * score
const strands = (score: number) => Array.from({ length: [11, 6, 3, 1, 0][score] ?? 0 }, (_, i) => i)
</script>

<template>
  <svg
    width="100%"
    viewBox="0 0 690 254"
    role="img"
    aria-label="Reference pictures for bridge, overhang, strings and bond"
  >
    <text v-for="s in SCORES" :key="s" :x="x(s) + 32" y="14" class="now mid">{{ s }}</text>
    <g v-for="(name, row) in ROWS" :key="name">
      <text x="8" :y="y(row) + 26" class="now">{{ name }}</text>
      <g v-for="s in SCORES" :key="s" :transform="`translate(${x(s)} ${y(row)})`">
        <template v-if="name === 'bridge'">
          <path d="M0 8h8v34h-8zM58 8h8v34h-8z" class="metal" />
          <path v-if="s > 0" :d="`M8 10q25 ${2 * sag(s)} 50 0`" class="bead" />
          <path v-else d="M8 10q8 20 10 30M58 10q-8 18 -11 28" class="bead" />
        </template>
        <template v-else-if="name === 'overhang'">
          <path d="M0 44V8h14v36z" class="metal" />
          <path
            v-for="k in 5"
            :key="k"
            :d="`M14 ${44 - k * 7}h${k * 9}q4 ${(4 - s) * (k / 2.4)} 0 ${(4 - s) * (k / 3.2)}`"
            class="bead thin-bead"
          />
        </template>
        <template v-else-if="name === 'strings'">
          <path d="M0 4h8v40h-8zM58 4h8v40h-8z" class="metal" />
          <path
            v-for="k in strands(s)"
            :key="k"
            :d="`M8 ${8 + k * 3.2}q25 ${3 + ((k * 5) % 4)} 50 0`"
            class="hair"
          />
        </template>
        <template v-else>
          <path d="M6 44V30h54v14z" class="metal" />
          <path
            :d="
              s === 4
                ? 'M6 30V6h54v24z'
                : `M6 ${30 - (4 - s) * 2.4}V6h54v${24 - (4 - s) * 3.4}l-9 ${s * 1.6}l-9 -${s * 1.6}l-9 ${s * 1.6}l-9 -${s * 1.6}l-9 ${s * 1.6}z`
            "
            class="metal"
          />
        </template>
      </g>
    </g>
    <text x="120" y="249" class="small">0: torn, curled, full, split by hand · 4: clean</text>
  </svg>
</template>

<style scoped>
.bead {
  fill: none;
  stroke: var(--filament);
  stroke-width: 4;
}
.thin-bead {
  stroke-width: 3;
}
.hair {
  fill: none;
  stroke: var(--filament);
}
</style>
