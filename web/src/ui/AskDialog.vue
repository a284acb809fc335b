<script setup lang="ts">
import { NModal } from 'naive-ui'

/* One question over the page: its title, what it needs to know, what was wrong, and the ways out of it. */
const shown = defineModel<boolean>('shown', { required: true })
defineProps<{ id: string; title: string; failure?: string; width?: number }>()
/* Gone from the page, and the focus back where it was before. */
const emit = defineEmits<{ closed: [] }>()
</script>

<template>
  <NModal v-model:show="shown" @after-leave="emit('closed')">
    <div
      class="sheet ask"
      role="dialog"
      aria-modal="true"
      :aria-labelledby="`${id}-title`"
      :style="{ width: `min(${width ?? 460}px, 94vw)` }"
    >
      <h1 :id="`${id}-title`">{{ title }}</h1>
      <slot />
      <p v-if="failure" class="error" role="alert">{{ failure }}</p>
      <div class="ways"><slot name="ways" /></div>
    </div>
  </NModal>
</template>

<style scoped>
.ask {
  display: flex;
  flex-direction: column;
  gap: 10px;
  /* The strip with the stops lies over it: it stands in the middle of what is left. */
  position: relative;
  bottom: calc(var(--strip, 0px) / 2);
  max-height: calc(100vh - var(--strip, 0px) - 16px);
  overflow: auto;
}
</style>
