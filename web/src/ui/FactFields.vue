<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import PickList from './PickList.vue'
import ReadingField from './ReadingField.vue'

/* Facts of a printer or a part, rendered from their description; blank is not known. */
const model = defineModel<Record<string, Schemas['Entry']>>({ required: true })
const props = defineProps<{
  fields: Schemas['FactFieldShown'][]
  problems: Schemas['FieldError'][]
  under?: string
  grouped?: boolean
}>()
const emit = defineEmits<{ confirm: [path: string] }>()
const full = (path: string) => (props.under ? `${props.under}.${path}` : path)
const error = (path: string) => props.problems.find((p) => p.field === full(path))
const set = (path: string, value: Schemas['Entry'] | undefined) =>
  (model.value = { ...model.value, [path]: value ?? '' })
const groups = computed(() => {
  if (!props.grouped) return [{ name: '', fields: props.fields }]
  const names = [...new Set(props.fields.map((f) => f.group))]
  return names.map((name) => ({ name, fields: props.fields.filter((f) => f.group === name) }))
})
</script>

<template>
  <component :is="grouped ? 'fieldset' : 'div'" v-for="g in groups" :key="g.name" class="group">
    <legend v-if="grouped">{{ g.name }}</legend>
    <div v-for="f in g.fields" :key="f.path" class="fact">
      <PickList
        v-if="f.options.length"
        :id="`f-${f.path}`"
        :model-value="String(model[f.path] ?? '')"
        :label="f.label"
        :options="[
          { value: '', label: 'not known' },
          ...f.options.map((o) => ({ value: o.id, label: o.label })),
        ]"
        :error="error(f.path)?.message"
        @update:model-value="(value) => set(f.path, value ?? '')"
      />
      <ReadingField
        v-else
        :model-value="model[f.path] ?? ''"
        :path="full(f.path)"
        :label="f.label"
        :unit="f.unit"
        :error="error(f.path)"
        small
        @update:model-value="set(f.path, $event)"
        @accept="set(f.path, String($event))"
        @confirm="emit('confirm', full(f.path))"
      />
      <p :id="`find-${f.path}`" class="find">{{ f.find }}</p>
    </div>
  </component>
</template>

<style scoped>
.group {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(190px, 1fr));
  gap: 12px 18px;
  border: 0;
  border-top: 1px solid var(--rule);
  margin: 0;
  padding: 8px 0 12px;
  min-width: 0;
}
div.group {
  border: 0;
}
legend {
  font-weight: 700;
  padding: 0 8px 0 0;
}
legend::first-letter {
  text-transform: uppercase;
}
.fact {
  min-width: 0;
}
.fact :deep(label) {
  display: block;
}
.fact :deep(label)::first-letter {
  text-transform: uppercase;
}
.find {
  font-size: 13px;
  line-height: 1.3;
  color: var(--ink2);
  margin-top: 3px;
}
.error {
  font-size: 14px;
}
</style>
