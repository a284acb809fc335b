<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'

import { answer, client, get } from '../api/client'
import PickList from '../ui/PickList.vue'
import WrongTypeDrawing from './WrongTypeDrawing.vue'

/* What the printer would show with another sensor than the one it is set to. */
const props = defineProps<{ set: string; seen: string | null }>()
const { data: sensors } = useQuery({ queryKey: ['sensors'], queryFn: () => get('/api/v1/heat/sensors') })
const others = computed(() => (sensors.value ?? []).filter((s) => s.id !== props.set))
/** The type to show the curve for: the one that the finding names, or any other. */
const fitted = ref('')
watch(
  [() => props.seen, others],
  ([seen, all]) => {
    fitted.value = seen ?? (all.some((s) => s.id === fitted.value) ? fitted.value : (all[0]?.id ?? ''))
  },
  { immediate: true },
)
const set = computed(() => props.set)
const { data: curve } = useQuery({
  queryKey: ['wrong-type', fitted, set],
  queryFn: () =>
    answer(
      client.GET('/api/v1/heat/wrong-type', { params: { query: { fitted: fitted.value, set: set.value } } }),
    ),
  enabled: () => fitted.value !== '' && set.value !== '',
})
</script>

<template>
  <PickList
    id="fitted-type"
    v-model="fitted"
    label="Fitted"
    :options="others.map((s) => ({ value: s.id, label: s.label }))"
  />
  <WrongTypeDrawing v-if="curve" :points="curve" />
</template>
