<script setup lang="ts">
/* Tops of cards, cut across: gaps, closed, ridges. Or bands by height, numbered from below. */
defineProps<{ bands?: boolean; count?: number | null }>()
</script>

<template>
  <svg v-if="!bands" viewBox="0 0 690 132" role="img" aria-label="Tops of cards: gaps, closed, ridges">
    <g
      v-for="(says, i) in ['gaps: too little', 'closed', 'ridges: too much']"
      :key="says"
      :transform="`translate(${20 + i * 225} 0)`"
    >
      <rect x="0" y="74" width="200" height="22" class="metal" />
      <template v-for="k in 8" :key="k">
        <rect
          :x="(k - 1) * 25 + [4, 0.5, 0][i]!"
          :y="[54, 50, 46][i]"
          :width="[17, 24, 25][i]"
          :height="[20, 24, 28][i]"
          :rx="[8, 7, 6][i]"
          class="plastic"
        />
        <path v-if="i === 2 && k < 8" :d="`M${k * 25 - 5} 47q5 -13 10 0`" class="plastic" />
      </template>
      <text x="100" y="120" class="mid" :class="{ now: i === 1 }">{{ says }}</text>
    </g>
  </svg>
  <svg v-else viewBox="0 0 690 190" role="img" aria-label="Bands by height, numbered from below">
    <g v-for="n in Math.min(9, Math.max(3, count ?? 6))" :key="n">
      <rect
        x="260"
        :y="180 - n * (168 / Math.min(9, Math.max(3, count ?? 6)))"
        width="170"
        :height="168 / Math.min(9, Math.max(3, count ?? 6)) - 2"
        class="plastic"
      />
      <text
        x="446"
        :y="180 - (n - 0.65) * (168 / Math.min(9, Math.max(3, count ?? 6)))"
        :class="{ now: n === 1 }"
      >
        {{ n }}{{ n === 1 ? ', the lowest' : '' }}
      </text>
    </g>
    <rect x="200" y="180" width="290" height="8" class="metal" />
  </svg>
</template>

<style scoped>
svg {
  width: 100%;
}
</style>
