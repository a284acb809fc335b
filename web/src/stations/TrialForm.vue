<script setup lang="ts">
import { NInput } from 'naive-ui'
import { computed } from 'vue'

import ChoiceRow from '../ui/ChoiceRow.vue'
import ReadingField from '../ui/ReadingField.vue'
import { type Station, useForm } from './useStation'

const props = defineProps<{ station: Station }>()
const { r, f } = useForm(props)
/** A text, or a number of the parameter's unit. */
const words = computed(() => props.station.fieldAt('best')?.kind !== 'number')
</script>

<template>
  <p class="quiet">
    Find it by your own test prints. Wattotherm keeps the record, and what hangs on it is released when the
    value stays.
  </p>
  <div class="values">
    <ReadingField v-model="r.before" v-bind="f('before')" label="Set before" :words="words" />
    <ReadingField v-model="r.best" v-bind="f('best')" label="Best now" :words="words" />
  </div>
  <ChoiceRow
    v-model="r.outcome"
    name="outcome"
    label="How did it go?"
    :options="[
      { value: 'good', label: 'the value under “Best now” is good' },
      { value: 'unclear', label: 'the prints don’t show it' },
      { value: 'none_good', label: 'no value is good' },
    ]"
    :error="station.errorOf('outcome')?.message"
  />
  <div>
    <label for="trial-note">What you saw</label>
    <NInput
      v-model:value="r.note"
      type="textarea"
      placeholder=""
      :rows="3"
      :input-props="{ id: 'trial-note' }"
    />
  </div>
</template>

<style scoped>
.values {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 16px;
}
</style>
