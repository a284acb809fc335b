<script setup lang="ts">
import { NInput } from 'naive-ui'
import { computed, getCurrentInstance, ref } from 'vue'

import { onward } from './onward'

/* A line of words with its label. */
const model = defineModel<string | null>()
const props = defineProps<{
  id: string
  label: string
  /** Label for assistants only. */
  bare?: boolean
  decimal?: boolean
}>()
const emit = defineEmits<{ enter: []; change: [value: string] }>()
const field = ref<InstanceType<typeof NInput>>()
const input = computed(() => ({
  id: props.id,
  autocomplete: 'off',
  inputmode: props.decimal ? ('decimal' as const) : ('text' as const),
  class: props.decimal ? 'mono' : undefined,
}))
/* Where nobody waits for its Enter, a dialog goes on to what it asks next. */
const sends = getCurrentInstance()?.vnode.props?.onEnter !== undefined
function key(event: KeyboardEvent) {
  if (event.key !== 'Enter' || event.ctrlKey || event.metaKey) return
  if (sends) emit('enter')
  else if (event.target instanceof HTMLElement && event.target.closest('[role=dialog]')) onward(event)
}
defineExpose({ focus: () => field.value?.focus() })
</script>

<template>
  <div class="line" :data-line="model ? undefined : ''">
    <label :for="id" :class="{ 'visually-hidden': bare }">{{ label }}</label>
    <NInput
      ref="field"
      v-model:value="model"
      placeholder=""
      :input-props="input"
      @keydown="key"
      @change="(value: string) => emit('change', value)"
    />
  </div>
</template>

<style scoped>
.line {
  min-width: 0;
}
</style>
