<script setup lang="ts">
/* What a yes looks like, for what is judged by eye: drawn by one pen, so that two people answer alike. */
defineProps<{ observation: string; yes: boolean }>()
</script>

<script lang="ts">
/** Observations that have a picture. */
export const PICTURED = new Set([
  'free_feed_curls',
  'free_feed_nothing',
  'tube_clump',
  'grinding_dust',
  'leak_hot',
  'drops_above_nozzle',
  'ridges',
  'loose_strands',
  'strings',
  'thin',
  'ringing',
  'debris_in_fan',
])
</script>

<template>
  <svg viewBox="0 0 92 64" aria-hidden="true">
    <template v-if="observation.startsWith('free_feed')">
      <path class="metal" d="M30 2h32v12l-10 8v4h-12v-4l-10-8z" />
      <path v-if="!yes" class="strand" d="M46 26V60" />
      <path
        v-else-if="observation === 'free_feed_curls'"
        class="strand"
        d="M46 26q0 12-14 15q-16 5-8 12q9 6 16-3"
      />
    </template>
    <template v-else-if="observation === 'tube_clump'">
      <path class="metal" d="M36 2h6v40h-6zM52 2h6v40h-6z" />
      <path class="strand wide" d="M47 2V40" />
      <path v-if="yes" class="plastic" d="M35 40q-7 9 4 14q8 6 16 0q11-4 4-14z" />
    </template>
    <template v-else-if="observation === 'grinding_dust'">
      <circle class="metal" cx="30" cy="28" r="18" />
      <circle class="metal-dark" cx="70" cy="28" r="12" />
      <path class="strand" d="M53 2V62" />
      <g v-if="yes" class="dust">
        <circle v-for="k in 9" :key="k" :cx="34 + ((k * 17) % 40)" :cy="50 + ((k * 7) % 12)" r="1.7" />
      </g>
    </template>
    <template v-else-if="observation === 'leak_hot' || observation === 'drops_above_nozzle'">
      <path class="metal" d="M14 6h64v26h-64z" />
      <path class="metal-dark" d="M34 32h24v12l-8 8v6h-8v-6l-8-8z" />
      <path v-if="yes" class="plastic" d="M26 32q-4 10 2 14q8 2 8-8zM60 32q2 8 8 7q4-3 2-7z" />
    </template>
    <template v-else-if="observation === 'ridges'">
      <path class="metal" d="M4 50h84v8h-84z" />
      <path v-if="yes" class="plastic" d="M8 50l4-8 6 8 4-9 6 9 5-8 6 8 4-9 6 9 5-8 6 8 4-9 6 9z" />
      <path v-else class="plastic" d="M8 50v-6h72v6z" />
    </template>
    <template v-else-if="observation === 'loose_strands'">
      <path class="metal" d="M4 50h84v8h-84z" />
      <g v-if="yes">
        <circle v-for="k in 5" :key="k" class="plastic" :cx="k * 15.5" cy="44" r="5.5" />
      </g>
      <path v-else class="plastic" d="M8 50v-6h72v6z" />
    </template>
    <template v-else-if="observation === 'strings'">
      <path class="metal" d="M10 6h14v52h-14zM68 6h14v52h-14z" />
      <g v-if="yes">
        <path v-for="k in 6" :key="k" class="hair" :d="`M24 ${6 + k * 8}q22 ${3 + ((k * 5) % 5)} 44 0`" />
      </g>
    </template>
    <template v-else-if="observation === 'thin'">
      <path
        v-for="k in 5"
        :key="k"
        class="strand"
        :stroke-dasharray="yes ? `${14 + ((k * 9) % 12)} ${4 + ((k * 5) % 6)}` : undefined"
        :style="{ strokeWidth: yes ? 3 : 7 }"
        :d="`M6 ${k * 11}H86`"
      />
    </template>
    <template v-else-if="observation === 'ringing'">
      <path v-if="yes" class="line" d="M8 8V56q0 0 6-3t6 3t6-2t6 2t6-1t6 1H86" />
      <path v-else class="line" d="M8 8V56H86" />
    </template>
    <template v-else-if="observation === 'debris_in_fan'">
      <rect class="metal" x="20" y="4" width="54" height="56" />
      <path class="line" d="M47 32L47 12M47 32L64 24M47 32L58 48M47 32L36 48M47 32L30 24" />
      <circle class="metal-dark" cx="47" cy="32" r="7" />
      <path v-if="yes" class="hair" d="M28 18q14 8 8 20t24 10M62 14q-8 12 4 18" />
    </template>
  </svg>
</template>

<style scoped>
svg {
  width: 92px;
  height: 64px;
}
.strand {
  fill: none;
  stroke: var(--filament);
  stroke-width: 6;
}
.strand.wide {
  stroke-width: 9;
}
.hair {
  fill: none;
  stroke: var(--filament);
  stroke-width: 1.6;
}
.dust {
  fill: var(--filament);
  stroke: var(--ink);
  stroke-width: 0.6;
}
</style>
