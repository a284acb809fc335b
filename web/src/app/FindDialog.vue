<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { NModal } from 'naive-ui'
import { computed, nextTick, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import { get } from '../api/client'

const shown = defineModel<boolean>('shown', { required: true })
const router = useRouter()
const wanted = ref('')
const field = ref<HTMLInputElement>()
const { data } = useQuery({
  queryKey: ['jobs'],
  queryFn: () => get('/api/v1/jobs'),
  enabled: shown,
})
const { data: bench } = useQuery({
  queryKey: ['bench'],
  queryFn: () => get('/api/v1/bench'),
  enabled: shown,
})
const hits = computed(() => {
  const printers = (bench.value?.rows ?? []).map((r) => ({
    text: `${r.printer.name}, ${r.printer.kind}`,
    to: `/printers/${r.printer.id}`,
  }))
  const jobs = (data.value ?? []).map((j) => ({
    text: `Job ${j.job.id}, ${j.printer.name}: ${j.job.complaint || 'no complaint'}`,
    to: `/jobs/${j.job.id}`,
  }))
  const words = wanted.value.toLowerCase().split(/\s+/)
  return [...printers, ...jobs]
    .filter((h) => words.every((w) => h.text.toLowerCase().includes(w)))
    .slice(0, 8)
})
watch(shown, async (on) => {
  if (!on) return
  wanted.value = ''
  await nextTick()
  setTimeout(() => field.value?.focus(), 50)
})
function go(to: string | undefined) {
  if (!to) return
  shown.value = false
  void router.push(to)
}
</script>

<template>
  <NModal v-model:show="shown">
    <div class="sheet find" role="dialog" aria-modal="true" aria-label="Find a printer or job">
      <label for="find-field">Printer, job number or words of the complaint</label>
      <input
        id="find-field"
        ref="field"
        v-model="wanted"
        type="text"
        autocomplete="off"
        @keydown.enter="go(hits[0]?.to)"
      />
      <ul>
        <li v-for="hit in hits" :key="hit.to">
          <a :href="hit.to" @click.prevent="go(hit.to)">{{ hit.text }}</a>
        </li>
        <li v-if="hits.length === 0" class="quiet">Nothing of that name.</li>
      </ul>
    </div>
  </NModal>
</template>

<style scoped>
.find {
  width: 560px;
}
input {
  width: 100%;
}
ul {
  list-style: none;
  margin: 12px 0 0;
  padding: 0;
}
li a {
  display: block;
  padding: 10px 4px;
  min-height: 44px;
}
</style>
