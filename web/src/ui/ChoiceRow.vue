<script setup lang="ts" generic="T extends string">
/* One of a few answers, as large as a thumb. */
import { meant, onward } from './onward'

const model = defineModel<T>()
const props = defineProps<{
  name: string
  label: string
  options: { value: T; label: string }[]
  error?: string
}>()
/* The first letter of an answer gives it. */
function letter(event: KeyboardEvent) {
  if (event.ctrlKey || event.metaKey || event.altKey) return
  const option =
    props.options[
      meant(
        event.key,
        props.options.map((o) => o.label),
      )
    ]
  if (!option) return
  event.preventDefault()
  event.stopPropagation()
  model.value = option.value
  const row = event.currentTarget as HTMLElement
  row.querySelector<HTMLElement>(`input[value="${CSS.escape(option.value)}"]`)?.focus()
}
</script>

<template>
  <fieldset data-answers @keydown.enter="onward" @keydown="letter">
    <legend>{{ label }}</legend>
    <div class="row">
      <label v-for="o in options" :key="o.value" :class="{ on: model === o.value }">
        <input v-model="model" type="radio" :name="name" :value="o.value" />
        {{ o.label }}
      </label>
    </div>
    <p v-if="error" class="error">{{ error }}</p>
  </fieldset>
</template>

<style scoped>
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-top: 3px;
}
label {
  display: flex;
  align-items: center;
  gap: 8px;
  min-height: 44px;
  padding: 4px 14px;
  margin: 0;
  border: 1px solid var(--ink2);
  border-radius: 2px;
  color: var(--ink);
  background: var(--sheet);
  cursor: pointer;
  font-size: 16px;
}
label.on {
  border-width: 2px;
  border-color: var(--ink);
  font-weight: 700;
}
input {
  accent-color: var(--accent);
  width: 18px;
  height: 18px;
}
</style>
