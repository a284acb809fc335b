<script setup lang="ts">
/* Reference pictures for strings between two posts: those of the picker, as a sheet. */
const COUNTS = [0, 1, 4, 8, 12, 22]
const WORDS = ['none', 'a hair', 'a few', 'many', 'thick', 'curtain']
</script>

<template>
  <svg
    width="100%"
    viewBox="0 0 690 84"
    role="img"
    aria-label="Reference pictures for strings, 0 none to 5 curtain"
  >
    <g v-for="(word, i) in WORDS" :key="i" :transform="`translate(${8 + i * 114} 2)`">
      <path d="M0 2h12v56h-12zM66 2h12v56h-12z" class="metal" />
      <path
        v-for="k in COUNTS[i]"
        :key="k"
        :d="`M12 ${4 + (k * 50) / (Number(COUNTS[i]) + 1)}q27 ${4 + ((k * 7) % 5)} 54 0`"
        class="hair"
        :stroke-width="i > 3 ? 1.6 : 0.9"
      />
      <text x="0" y="78" class="now">{{ i }} {{ word }}</text>
    </g>
  </svg>
</template>

<style scoped>
.hair {
  fill: none;
  stroke: var(--filament);
}
</style>
