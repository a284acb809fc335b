<script setup lang="ts">
import { NSelect } from 'naive-ui'
import { computed, inject, ref } from 'vue'

import { onward } from './onward'
import { shutKey } from './shut'

/* One of a list: type a part of its name, or open it. Enter takes it and goes on. */
const model = defineModel<string | null>()
const props = defineProps<{
  id: string
  label: string
  options: { value: string; label: string }[]
  error?: string
}>()
const open = ref(false)
const shut = inject(shutKey, ref(false))
/* The blank one is an answer too ("not known"); the component takes none for nothing. */
const BLANK = ' '
const value = computed({
  get: () => (props.options.some((o) => o.value === (model.value ?? '')) ? model.value || BLANK : null),
  set: (v: string | null) => (model.value = v === null || v === BLANK ? '' : v),
})
const shown = computed(() => props.options.map((o) => ({ value: o.value || BLANK, label: o.label })))
/* The name carries what is chosen: the field itself is blank until one types. */
const chosen = computed(() => shown.value.find((o) => o.value === value.value)?.label ?? 'nothing chosen')
const input = computed(() => ({
  id: props.id,
  role: 'combobox',
  'aria-expanded': open.value,
  'aria-label': `${props.label}: ${chosen.value}`,
  autocomplete: 'off',
}))
/* Reached with Tab, the list itself has the focus and not its line: a letter opens it and goes on in the line. */
const root = ref<HTMLElement>()
let wasOpen = false
function letter(event: KeyboardEvent) {
  wasOpen = open.value
  const line = root.value?.querySelector('input')
  const typed =
    event.key.length === 1 && event.key !== ' ' && !event.ctrlKey && !event.metaKey && !event.altKey
  if (!typed || !line || event.target === line) return
  open.value = true
  line.focus()
}
/* Enter opens a list that is shut; in an open one the list has now taken what is marked, and the hand goes on. */
function took(event: KeyboardEvent) {
  if (wasOpen && !open.value) onward(event)
}
</script>

<template>
  <div
    ref="root"
    class="pick"
    :data-pick="model ? undefined : ''"
    @keydown.capture="letter"
    @keydown.enter="took"
  >
    <label :for="id">{{ label }}</label>
    <NSelect
      v-model:value="value"
      v-model:show="open"
      filterable
      :options="shown"
      placeholder=""
      :disabled="shut"
      :status="error ? 'error' : undefined"
      :consistent-menu-width="false"
      :input-props="input"
    />
    <p v-if="error" class="error">{{ error }}</p>
  </div>
</template>

<style scoped>
.pick {
  min-width: 0;
}
</style>
