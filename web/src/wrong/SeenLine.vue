<script setup lang="ts">
import { NButton } from 'naive-ui'

/* One thing that is known or was tried: what, where it comes from, and the way to take it back. */
defineProps<{ says: string; strong: string; of: string; shut: boolean; back: string }>()
const emit = defineEmits<{ back: [] }>()
</script>

<template>
  <li>
    <span
      >{{ says }} <strong>{{ strong }}</strong></span
    >
    <span class="of">
      {{ of }}
      <NButton
        v-if="!shut"
        text
        class="take"
        :aria-label="`${back}: ${says.replace(/:$/, '')}`"
        @click="emit('back')"
      >
        {{ back.toLowerCase() }}
      </NButton>
    </span>
  </li>
</template>

<style scoped>
li {
  display: flex;
  flex-direction: column;
  padding: 3px 0;
}
.of {
  font-size: 14px;
  color: var(--ink2);
}
.take {
  text-decoration: underline;
  min-height: 28px;
}
@media (pointer: coarse) {
  .take {
    min-height: 44px;
  }
}
</style>
