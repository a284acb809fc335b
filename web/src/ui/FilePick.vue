<script setup lang="ts">
import { ref } from 'vue'

/* A file, chosen or dropped. */
defineProps<{ label: string; accept: string }>()
const emit = defineEmits<{ file: [file: File] }>()
const over = ref(false)
function take(file: File | undefined) {
  over.value = false
  if (file) emit('file', file)
}
function chosen(event: Event) {
  const input = event.target as HTMLInputElement
  take(input.files?.[0])
  // The same file once more is a choice too.
  input.value = ''
}
</script>

<template>
  <label
    class="drop"
    :class="{ over }"
    @dragover.prevent="over = true"
    @dragleave="over = false"
    @drop.prevent="take($event.dataTransfer?.files[0])"
  >
    <input type="file" :accept="accept" class="visually-hidden" @change="chosen" />
    {{ label }}
  </label>
</template>

<style scoped>
.drop {
  position: relative;
  display: flex;
  align-items: center;
  justify-content: center;
  min-height: 44px;
  padding: 6px 16px;
  margin: 0;
  border: 1.5px dashed var(--ink2);
  border-radius: 2px;
  color: var(--ink);
  cursor: pointer;
  text-align: center;
  font-size: 16px;
}
.drop:focus-within {
  outline: 3px solid var(--accent);
  outline-offset: 2px;
}
.over {
  background: var(--wash);
  border-color: var(--accent);
}
</style>
