<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { useSessionStorage } from '@vueuse/core'
import { NButton, NInput } from 'naive-ui'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { answer, client, get } from '../api/client'
import TextLine from '../ui/TextLine.vue'
import { beginCase } from './begin'

/* A case begins with the customer's own sentence; it may be blank. */
const route = useRoute()
const router = useRouter()
const printer = computed(() => Number(route.params.printer))
const trace = computed(() => (route.query.trace ? Number(route.query.trace) : null))
const { data, error } = useQuery({
  queryKey: ['printer', printer],
  queryFn: () => answer(client.GET('/api/v1/printers/{id}', { params: { path: { id: printer.value } } })),
})
/* One case a printer: the one that is open is gone on with. */
const { data: cases } = useQuery({ queryKey: ['cases'], queryFn: () => get('/api/v1/cases') })
const open = computed(() =>
  cases.value?.watched.find((c) => c.printer_id === printer.value && c.ended_at == null),
)
const sentence = useSessionStorage(`new-case-${printer.value}`, '')
const who = ref('')
const failure = ref('')
async function begin() {
  const got = await beginCase({
    printer_id: printer.value,
    job_id: data.value?.job?.id ?? null,
    stop: null,
    trace: trace.value,
    sentence: sentence.value,
    who: who.value,
  })
  failure.value = got.failure
  if (got.id === null) return
  sentence.value = ''
  await router.push(`/wrong/${got.id}`)
}
</script>

<template>
  <p v-if="error" class="page error">{{ error.message }}</p>
  <section v-else-if="data" class="page begin">
    <h1>What is wrong with {{ data.printer.name }}?</h1>
    <p class="quiet">
      In the customer’s own words, as they said it. They are searched for what they may mean; you say whether
      it is so.
    </p>
    <div>
      <label for="sentence">What they say; may be blank</label>
      <NInput
        v-model:value="sentence"
        type="textarea"
        placeholder=""
        :autosize="{ minRows: 3, maxRows: 8 }"
        :input-props="{ id: 'sentence' }"
        autofocus
        @keydown.ctrl.enter="begin"
      />
    </div>
    <TextLine id="who" v-model="who" class="who" label="Who looks for it; may be blank" @enter="begin" />
    <p v-if="trace" class="quiet">What the heat log shows is taken along.</p>
    <p v-if="data.job" class="quiet">
      It belongs to job {{ data.job.id }}: {{ data.job.complaint || 'planned change' }}.
    </p>
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    <p v-if="open">
      Case {{ open.id }} is open on this printer.
      <RouterLink class="soft" :to="`/wrong/${open.id}`">Go on with it</RouterLink>
    </p>
    <p v-else>
      <NButton type="primary" @click="begin">Look for the cause <kbd aria-hidden="true">Ctrl ↵</kbd></NButton>
    </p>
  </section>
  <p v-else class="page quiet">Opening …</p>
</template>

<style scoped>
.begin {
  max-width: 720px;
  display: flex;
  flex-direction: column;
  gap: 14px;
}
.who {
  max-width: 320px;
}
</style>
