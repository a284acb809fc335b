<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import { usePen } from '../app/pen'
import PickList from '../ui/PickList.vue'
import type { Station } from './useStation'

/* One of the shop's instruments, with how far it can be trusted. */
const model = defineModel<string | null>()
const props = defineProps<{ station: Station; label: string; kinds: string[] }>()
const { length } = usePen()
const width = (i: Schemas['Instrument']) => {
  const half = i.half_width || i.shared_half_width
  return i.unit === 'mm' ? length(half) : `${half} ${i.unit}`
}
const options = computed(() =>
  (props.station.worktop.value?.instruments ?? [])
    .filter((i) => props.kinds.includes(i.kind))
    .map((i) => ({ value: i.id, label: `${i.name} ±${width(i)}` })),
)
</script>

<template>
  <PickList id="instrument" v-model="model" :label="label" :options="options" />
</template>
