<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { NModal } from 'naive-ui'
import { computed, nextTick, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import { answer, client, type Schemas } from '../api/client'
import TextLine from '../ui/TextLine.vue'

const shown = defineModel<boolean>('shown', { required: true })
const router = useRouter()
const wanted = ref('')
const field = ref<InstanceType<typeof TextLine>>()
const words = refDebounced(wanted, 120)
const { data } = useQuery({
  queryKey: ['find', words],
  queryFn: () => answer(client.GET('/api/v1/find', { params: { query: { text: words.value } } })),
  enabled: () => shown.value && words.value.trim() !== '',
})
/* Where a hit leads: to its job, else to its printer, else to where its kind is listed. */
function leads(h: Schemas['Found']) {
  const atJob = h.kind !== 'printer' && h.kind !== 'part' && h.job_id
  if (atJob) return `/jobs/${h.job_id}`
  return h.printer_id ? `/printers/${h.printer_id}` : '/logbook'
}
const hits = computed(() =>
  (words.value.trim() ? (data.value ?? []) : []).map((h, i) => ({ key: i, text: h.text, to: leads(h) })),
)
/** Enter takes the first hit of what is typed, though the list may not be there yet. */
async function first() {
  if (!wanted.value.trim()) return
  const got = await answer(client.GET('/api/v1/find', { params: { query: { text: wanted.value } } }))
  // Closed meanwhile: it was thought better of.
  if (got[0] && shown.value) go(leads(got[0]))
}
watch(shown, async (on) => {
  if (!on) return
  wanted.value = ''
  await nextTick()
  setTimeout(() => field.value?.focus(), 50)
})
function go(to: string) {
  shown.value = false
  void router.push(to)
}
</script>

<template>
  <NModal v-model:show="shown">
    <div class="sheet find" role="dialog" aria-modal="true" aria-label="Find a printer or job">
      <TextLine
        id="find-field"
        ref="field"
        v-model="wanted"
        label="Printer, job, customer, complaint, filament, part or note"
        @enter="first"
      />
      <ul>
        <li v-for="hit in hits" :key="hit.key">
          <a :href="hit.to" @click.prevent="go(hit.to)">{{ hit.text }}</a>
        </li>
        <li v-if="words.trim() && data && hits.length === 0" class="quiet">Nothing of that name.</li>
      </ul>
    </div>
  </NModal>
</template>

<style scoped>
.find {
  width: 560px;
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
