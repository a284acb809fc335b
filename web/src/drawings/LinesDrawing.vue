<script setup lang="ts">
/* Lines slow, fast, slow, as they come out: too little advance, right, too much. Widths drawn large. */
const ROWS = [
  {
    says: 'too little',
    d: 'M110 20H250C262 20 262 27 274 27S310 20 330 20H446C456 20 458 12 470 12S486 20 498 20H640V40H498C486 40 482 48 470 48S456 40 446 40H330C310 40 286 33 274 33S262 40 250 40H110Z',
  },
  { says: 'right', d: 'M110 70H640V90H110Z' },
  {
    says: 'too much',
    d: 'M110 120H246C256 120 258 112 270 112S286 120 298 120H452C464 120 464 127 476 127S512 120 532 120H640V140H532C512 140 488 133 476 133S464 140 452 140H298C286 140 282 148 270 148S256 140 246 140H110Z',
  },
]
</script>

<template>
  <svg
    width="100%"
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
    <text x="180" y="170" class="mid">slow</text>
    <text x="351" y="170" class="mid">fast</text>
    <text x="546" y="170" class="mid">slow</text>
  </svg>
</template>
