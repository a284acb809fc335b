<script setup lang="ts">
import { computed } from 'vue'

/* Two combs, the second one's teeth a little wider apart: which pair stands in one line. Differences drawn larger than they are. */
const props = defineProps<{ tooth: number | null }>()
const AT = 345
const PITCH = 30
const TEETH = [-10, -9, -8, -7, -6, -5, -4, -3, -2, -1, 0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10]
/** Nothing meets before somebody has looked. */
const says = computed(() => {
  if (props.tooth === null) return 'which pair stands in one line?'
  return props.tooth === 0 ? 'the middle meets' : `tooth ${props.tooth} meets`
})
const lower = (n: number) => AT + n * PITCH
/** The upper comb slides by the tooth that meets. */
const upper = (n: number) => AT + n * (PITCH + 1.5) - (props.tooth ?? 0) * 1.5
</script>

<template>
  <svg width="100%" viewBox="0 0 690 150" role="img" aria-label="Two combs of lines and the pair that meets">
    <template v-for="n in TEETH" :key="n">
      <path :d="`M${lower(n)} 78V122`" class="first" :class="{ meets: n === tooth }" />
      <path :d="`M${upper(n)} 24V72`" class="second" :class="{ meets: n === tooth }" />
      <text v-if="n % 5 === 0" :x="lower(n)" y="142" class="mid" :class="{ now: n === tooth }">
        {{ n > 0 ? `+${n}` : n }}
      </text>
    </template>
    <text x="4" y="14">second nozzle</text>
    <text x="686" y="14" text-anchor="end" class="now">
      {{ says }}
    </text>
  </svg>
</template>

<style scoped>
.first,
.second {
  stroke: var(--ink2);
  stroke-width: 5;
  fill: none;
}
.second {
  stroke: var(--filament);
}
.meets {
  stroke-width: 9;
}
</style>
