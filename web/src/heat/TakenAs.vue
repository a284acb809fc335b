<script setup lang="ts">
import { computed, reactive } from 'vue'

import type { Schemas } from '../api/client'
import { usePen } from '../app/pen'
import PickList from '../ui/PickList.vue'
import ReadingField from '../ui/ReadingField.vue'

/* What a log was taken for, where it may have been meant another way. */
const props = defineProps<{
  id: string
  taken: Schemas['Taken']
  errors: Schemas['FieldError'][]
  /** A target is known beside the log. */
  targeted: boolean
}>()
const model = defineModel<Schemas['TypedReadAs']>({ required: true })
const { degree } = usePen()

interface Choice {
  field: 'temperatures' | 'times' | 'duty'
  label: string
  value: string | null | undefined
  options: { value: string; label: string }[]
}
/* What the log has none of is not asked. */
const choices = computed(() =>
  (
    [
      {
        field: 'temperatures',
        label: 'Temperatures in',
        value: props.taken.temperatures,
        options: [
          { value: 'celsius', label: '°C' },
          { value: 'fahrenheit', label: '°F' },
        ],
      },
      {
        field: 'times',
        label: 'Times in',
        value: props.taken.times,
        options: [
          { value: 'milliseconds', label: 'milliseconds' },
          { value: 'seconds', label: 'seconds' },
          { value: 'minutes', label: 'minutes' },
        ],
      },
      {
        field: 'duty',
        label: 'Duty counted in',
        value: props.taken.duty,
        options: [
          { value: 'one', label: '0 to 1' },
          { value: 'percent', label: 'percent' },
          { value: 'seven_bits', label: '0 to 127' },
          { value: 'eight_bits', label: '0 to 255' },
        ],
      },
    ] satisfies Choice[]
  ).filter((c) => c.value),
)
const error = (field: string) => props.errors.find((e) => e.field === field)
function set(change: Partial<Schemas['TypedReadAs']>) {
  model.value = { ...model.value, ...change }
}
/* A field is read when the hand leaves it, or with Enter. */
const typed = reactive({
  every: String(props.taken.every_s ?? ''),
  target: '',
})
function leave(field: 'every' | 'target') {
  const before =
    field === 'every' ? model.value.every || String(props.taken.every_s ?? '') : model.value.target
  if (typed[field] !== before) set({ [field]: typed[field] })
}
</script>

<template>
  <div role="group" aria-label="Taken as" class="taken">
    <PickList
      v-for="c in choices"
      :id="`${id}-${c.field}`"
      :key="c.field"
      :label="c.label"
      :model-value="c.value"
      :options="c.options"
      @update:model-value="(v) => set({ [c.field]: v })"
    />
    <div v-if="taken.every_s" @change="leave('every')" @keydown.enter="leave('every')">
      <ReadingField
        v-model="typed.every"
        :path="`${id}-every`"
        label="A report every"
        small
        unit="s"
        :error="error('every')"
      />
    </div>
    <div v-if="taken.no_target && !targeted" @change="leave('target')" @keydown.enter="leave('target')">
      <ReadingField
        v-model="typed.target"
        :path="`${id}-target`"
        label="Target it was set to"
        small
        :unit="degree"
        kept="°C"
        :error="error('target')"
      />
    </div>
  </div>
</template>

<style scoped>
.taken {
  display: flex;
  flex-wrap: wrap;
  gap: 12px 16px;
  align-items: start;
  margin-top: 8px;
}
.taken > * {
  width: 160px;
}
</style>
