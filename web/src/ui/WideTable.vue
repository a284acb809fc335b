<script setup lang="ts">
import { NTable } from 'naive-ui'

/* A table that scrolls by itself where the screen is narrower; the keyboard reaches it for that. */
defineProps<{ label?: string }>()
</script>

<template>
  <div class="sideways" tabindex="0" :aria-label="label">
    <NTable size="small" :bordered="false">
      <slot />
    </NTable>
  </div>
</template>

<style scoped>
.sideways {
  position: relative;
  overflow-x: auto;
}
</style>
