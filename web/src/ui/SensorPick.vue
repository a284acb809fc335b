<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { get } from '../api/client'

/* One of the sensor types that the core knows. */
const model = defineModel<string>()
const props = defineProps<{ id: string; label: string; but?: string; error?: string; sure?: boolean }>()
const { data } = useQuery({ queryKey: ['sensors'], queryFn: () => get('/api/v1/heat/sensors') })
const shown = computed(() => (data.value ?? []).filter((s) => s.id !== props.but))
</script>

<template>
  <div>
    <label :for="id">{{ label }}</label>
    <select :id="id" v-model="model">
      <option v-if="!sure" value="">not known</option>
      <option v-for="s in shown" :key="s.id" :value="s.id">{{ s.label }}</option>
    </select>
    <p v-if="error" class="error">{{ error }}</p>
  </div>
</template>

<style scoped>
select {
  width: 100%;
}
</style>
