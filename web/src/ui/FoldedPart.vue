<script setup lang="ts">
/* What is only sometimes needed: folded under its title. The browser's own, since the library's can't be
   reached with Tab. */
const open = defineModel<boolean>('open', { default: false })
defineProps<{
  title: string
  /** What it says while it is folded. */
  says?: string
}>()
</script>

<template>
  <details :open="open" @toggle="open = ($event.target as HTMLDetailsElement).open">
    <summary>
      {{ title }}<span v-if="says" class="says">{{ says }}</span>
    </summary>
    <slot />
  </details>
</template>

<style scoped>
summary {
  cursor: pointer;
  min-height: 44px;
  padding: 10px 0;
  color: var(--ink2);
}
.says {
  margin-left: 14px;
  color: var(--ink);
  font-weight: 700;
}
</style>
