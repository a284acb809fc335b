<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import { usePen } from '../app/pen'
import type { Station } from './useStation'

const model = defineModel<string>()
const props = defineProps<{ station: Station; kinds: string[] }>()
const { length } = usePen()
const width = (i: Schemas['Instrument']) => {
  const half = i.half_width || i.shared_half_width
  return i.unit === 'mm' ? length(half) : `${half} ${i.unit}`
}
const options = computed(() =>
  (props.station.worktop.value?.instruments ?? []).filter((i) => props.kinds.includes(i.kind)),
)
</script>

<template>
  <div>
    <label for="instrument">Instrument</label>
    <select id="instrument" v-model="model">
      <option v-for="i in options" :key="i.id" :value="i.id">{{ i.name }} ±{{ width(i) }}</option>
    </select>
  </div>
</template>

<style scoped>
select {
  width: 100%;
}
</style>
