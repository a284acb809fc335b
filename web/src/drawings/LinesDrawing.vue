<script setup lang="ts">
/* Lines slow, fast, slow, as they come out: too little advance, right, too much. Widths drawn large. */
const ROWS = [
  {
    says: 'too little',
    d: 'M80 20H250q8 0 12 5t24 5H446q8 -16 20 -16t22 6H640v20H488q-10 6 -22 6t-20 -16H286q-16 0 -24 5t-12 5H80z',
  },
  { says: 'right', d: 'M80 70H640v20H80z' },
  {
    says: 'too much',
    d: 'M80 120H240q8 -7 22 -7t24 7H440q8 0 10 5t16 5t20 -5t12 -5H640v20H498q-8 0 -12 -5t-20 -5t-16 5t-10 5H286q-10 7 -24 7t-22 -7H80z',
  },
]
</script>

<template>
  <svg
    viewBox="0 0 690 176"
    role="img"
    aria-label="A line with too little, the right, and too much pressure advance"
  >
    <g v-for="row in ROWS" :key="row.says">
      <path :d="row.d" class="plastic" />
    </g>
    <text x="4" y="35">too little</text>
    <text x="4" y="85" class="now">right</text>
    <text x="4" y="135">too much</text>
    <path d="M250 6V156M452 6V156" class="thin" />
    <text x="165" y="170" class="mid">slow</text>
    <text x="351" y="170" class="mid">fast</text>
    <text x="546" y="170" class="mid">slow</text>
  </svg>
</template>

<style scoped>
svg {
  width: 100%;
}
.mid {
  text-anchor: middle;
}
</style>
