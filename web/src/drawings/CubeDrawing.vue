<script setup lang="ts">
defineProps<{ edge: string }>()
</script>

<template>
  <svg viewBox="0 0 200 190" role="img" aria-label="Test cube with its axes">
    <path d="M40 70l60-32 60 32-60 34z" class="plastic" />
    <path d="M40 70v64l60 36v-66z" class="plastic side" />
    <path d="M160 70v64l-60 36v-66z" class="plastic dark" />
    <text x="44" y="172" class="now">X</text>
    <text x="142" y="172" class="now">Y</text>
    <text x="170" y="108" class="now">Z</text>
    <text x="100" y="26" text-anchor="middle">{{ edge }}</text>
  </svg>
</template>

<style scoped>
svg {
  --least: 200px;
}
.side {
  fill-opacity: 0.75;
}
.dark {
  fill-opacity: 0.55;
}
</style>
