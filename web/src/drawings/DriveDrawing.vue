<script setup lang="ts">
import { computed } from 'vue'

/* Filament, mark, rule and drive. The rest is drawn to the scale of the mark. */
const props = defineProps<{
  mark: number | null
  markSays: string
  rest: number | null
  restSays: string
}>()
const m = computed(() => Math.max(1, props.mark ?? 120))
const inlet = 490
const start = 86
const at = (left: number) => Math.max(30, inlet - (left / m.value) * (inlet - start))
const ticks = computed(() => Array.from({ length: 9 }, (_, i) => start + ((i + 1) * (inlet - start)) / 10))
</script>

<template>
  <svg width="100%" viewBox="0 0 690 200" role="img" aria-label="Filament with mark, rule and drive">
    <defs>
      <pattern
        id="hatch-drive"
        width="8"
        height="8"
        patternUnits="userSpaceOnUse"
        patternTransform="rotate(45)"
      >
        <path d="M0 0V8" class="thin" />
      </pattern>
    </defs>
    <rect x="20" y="76" width="562" height="12" class="plastic" />
    <path d="M582 79h70v6h-70" class="plastic" />
    <text x="596" y="66">to hot end</text>
    <rect x="490" y="36" width="92" height="32" class="metal" />
    <rect x="490" y="36" width="92" height="32" fill="url(#hatch-drive)" />
    <rect x="490" y="96" width="92" height="32" class="metal" />
    <rect x="490" y="96" width="92" height="32" fill="url(#hatch-drive)" />
    <circle cx="536" cy="49" r="27" class="metal" />
    <circle cx="536" cy="115" r="27" class="metal-dark" />
    <circle cx="536" cy="49" r="5" />
    <circle cx="536" cy="115" r="5" />
    <path d="M514 14q22-10 44 4m-3-9 3 9-10 1" class="line now" stroke-width="2.4" />
    <path :d="`M${start} 52V116`" class="line" stroke-width="2.6" />
    <text :x="start - 26" y="42">mark, before</text>
    <template v-if="rest !== null">
      <path :d="`M${at(rest)} 60V106`" class="line now" stroke-width="3" />
      <text :x="Math.min(at(rest) - 30, 380)" y="42" class="now">
        {{ rest > m * 0.62 ? '' : 'mark, now' }}
      </text>
      <path :d="`M${at(rest)} 112V136M${at(rest) + 4} 132H${inlet - 4}`" class="line now" />
      <text :x="Math.min((at(rest) + inlet) / 2, inlet - 58)" y="152" text-anchor="middle" class="now">
        left {{ restSays }}
      </text>
    </template>
    <path :d="`M${start} 120V178M${inlet} 128V178`" class="thin" />
    <path :d="`M${start} 168H${inlet}M${start + 8} 163l-8 5 8 5M${inlet - 8} 163l8 5-8 5`" class="line" />
    <rect :x="(start + inlet) / 2 - 46" y="158" width="92" height="20" class="gap" />
    <text :x="(start + inlet) / 2" y="173" text-anchor="middle">{{ markSays }}</text>
    <rect :x="start" y="184" :width="inlet - start" height="13" class="metal" />
    <path v-for="t in ticks" :key="t" :d="`M${t} 184v7`" class="line" />
  </svg>
</template>

<style scoped>
svg {
  max-height: 186px;
}
.gap {
  fill: var(--paper);
}
circle[r='5'] {
  fill: var(--ink);
}
</style>
