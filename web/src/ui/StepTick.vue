<script setup lang="ts">
/* The box of a step: Space ticks it, Enter ticks it and goes on. */
const model = defineModel<boolean>({ required: true })
const emit = defineEmits<{ next: [event: KeyboardEvent] }>()
</script>

<template>
  <input v-model="model" type="checkbox" data-step @keydown.enter.exact="emit('next', $event)" />
</template>
