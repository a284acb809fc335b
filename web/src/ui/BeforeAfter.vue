<script setup lang="ts">
import { NSlider } from 'naive-ui'
import { onMounted, ref } from 'vue'

import type { Schemas } from '../api/client'

/* Two pictures over each other: the slider uncovers the earlier one from the left. */
defineProps<{ before: Schemas['Photo']; after: Schemas['Photo'] }>()
const uncovered = ref(50)
const root = ref<HTMLElement>()
/* The component gives its handle no name. */
onMounted(() => root.value?.querySelector('[role=slider]')?.setAttribute('aria-label', 'Earlier picture, %'))
</script>

<template>
  <div ref="root" class="both">
    <div class="stage" :style="{ aspectRatio: `${before.width} / ${before.height}` }">
      <img
        :src="`/api/v1/photos/${before.id}`"
        :alt="`Before: ${before.caption || `picture ${before.id}`}`"
      />
      <img
        :src="`/api/v1/photos/${after.id}`"
        :alt="`After: ${after.caption || `picture ${after.id}`}`"
        :style="{ clipPath: `inset(0 0 0 ${uncovered}%)` }"
      />
      <span class="line" :style="{ left: `${uncovered}%` }" />
      <span class="tag before" aria-hidden="true">before</span>
      <span class="tag after" aria-hidden="true">after</span>
    </div>
    <NSlider v-model:value="uncovered" :min="0" :max="100" :step="2" :tooltip="false" />
  </div>
</template>

<style scoped>
.both {
  display: flex;
  flex-direction: column;
  gap: 6px;
}
.stage {
  position: relative;
  overflow: hidden;
  max-height: 56vh;
  background: var(--ink);
}
img {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  object-fit: contain;
}
.line {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 2px;
  margin-left: -1px;
  background: var(--sheet);
  box-shadow: 0 0 0 1px var(--ink);
}
.tag {
  position: absolute;
  top: 8px;
  padding: 0 8px;
  background: var(--sheet);
  font-size: 14px;
}
.before {
  left: 8px;
}
.after {
  right: 8px;
}
</style>
