<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { NProgress } from 'naive-ui'
import { computed } from 'vue'

import { get } from '../api/client'

/* How far a long reading is: of one sliced part, or of the one that is just coming in. */
const props = defineProps<{ print: number | null; label: string }>()
const { data } = useQuery({
  queryKey: ['reading'],
  queryFn: () => get('/api/v1/reading'),
  refetchInterval: 400,
  gcTime: 0,
})
const percent = computed(() => {
  const own = data.value?.find((r) => (r.print_id ?? null) === props.print)
  return own ? Math.round(100 * own.part) : 0
})
</script>

<template>
  <div role="status">
    <p class="quiet">{{ label }}</p>
    <NProgress type="line" :percentage="percent" :aria-label="label" />
  </div>
</template>

<style scoped>
p {
  margin: 0 0 4px;
}
</style>
