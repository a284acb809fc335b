<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { NButton } from 'naive-ui'
import { ref } from 'vue'

import { ServerError, answer, client, get, type Schemas } from '../api/client'
import { moment, toneOf } from '../api/words'
import TextLine from '../ui/TextLine.vue'
import PickList from '../ui/PickList.vue'
import WideTable from '../ui/WideTable.vue'

const printer = ref('')
const part = ref('')
const text = ref('')
const words = refDebounced(text, 200)
const note = ref('')
const failure = ref('')
const queries = useQueryClient()
const { data: bench } = useQuery({ queryKey: ['bench'], queryFn: () => get('/api/v1/bench') })
const { data: catalogue } = useQuery({ queryKey: ['catalogue'], queryFn: () => get('/api/v1/catalogue') })
const { data, error } = useQuery({
  queryKey: ['logbook', printer, part, words],
  queryFn: () =>
    answer(
      client.GET('/api/v1/logbook', {
        params: {
          query: {
            printer: printer.value ? Number(printer.value) : undefined,
            part: part.value || undefined,
            text: words.value || undefined,
          },
        },
      }),
    ),
  placeholderData: (old: Schemas['LogEntry'][] | undefined) => old,
})
const name = (id: number | null | undefined) =>
  bench.value?.rows.find((r) => r.printer.id === id)?.printer.name ?? ''
const partName = (id: string) => catalogue.value?.parts.find((p) => p.id === id)?.label ?? id
async function write() {
  failure.value = ''
  try {
    await answer(
      client.POST('/api/v1/logbook', {
        body: {
          text: note.value,
          printer_id: printer.value ? Number(printer.value) : null,
          part: (part.value || null) as Schemas['Part'] | null,
        },
      }),
    )
    note.value = ''
    await queries.invalidateQueries({ queryKey: ['logbook'] })
  } catch (e) {
    if (e instanceof ServerError) failure.value = e.problem.detail
  }
}
</script>

<template>
  <section class="page">
    <h1>Logbook</h1>
    <p class="quiet">
      Everything that happened, newest first. Nothing is ever taken out: a correction is a new entry.
    </p>
    <div class="filters">
      <PickList
        id="log-printer"
        v-model="printer"
        label="Printer"
        :options="[
          { value: '', label: 'all' },
          ...(bench?.rows ?? []).map((r) => ({ value: String(r.printer.id), label: r.printer.name })),
        ]"
      />
      <PickList
        id="log-part"
        v-model="part"
        label="Part"
        :options="[
          { value: '', label: 'all' },
          ...(catalogue?.parts ?? []).map((p) => ({ value: p.id, label: p.label })),
        ]"
      />
      <TextLine id="log-text" v-model="text" class="grow" label="Containing" />
      <TextLine id="log-note" v-model="note" class="grow" label="Write a note" @enter="write" />
      <NButton @click="write">Write</NButton>
    </div>
    <p class="quiet">
      <a href="/api/v1/everything" download>Everything of this shop as a zip</a>: logbook, jobs, printers,
      house rules, temperature logs.
    </p>
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    <p v-if="error" class="error">{{ error.message }}</p>
    <p v-else-if="data?.length === 0">No entry like that.</p>
    <WideTable v-else-if="data">
      <thead>
        <tr>
          <th scope="col">No.</th>
          <th scope="col">When</th>
          <th scope="col">Printer</th>
          <th scope="col">Job</th>
          <th scope="col">What</th>
          <th scope="col">Who</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="e in data" :key="e.id" :class="{ old: e.superseded_by }">
          <td class="mono">{{ e.id }}</td>
          <td class="when">{{ moment(e.at) }}</td>
          <td>{{ name(e.printer_id) }}</td>
          <td>
            <RouterLink v-if="e.job_id" :to="`/jobs/${e.job_id}${e.stop ? `/${e.stop}` : ''}`">{{
              e.job_id
            }}</RouterLink>
          </td>
          <td>
            <span v-if="e.verdict" class="chip" :class="toneOf[e.verdict]">{{
              e.verdict.replace('_', ' ')
            }}</span>
            <span v-if="e.part" class="chip">{{ partName(e.part) }}</span>
            {{ e.text }}
            <span v-if="e.superseded_by" class="quiet">(replaced by {{ e.superseded_by }})</span>
            <span v-if="e.supersedes" class="quiet">(replaces {{ e.supersedes }})</span>
          </td>
          <td>{{ e.who }}</td>
        </tr>
      </tbody>
    </WideTable>
  </section>
</template>

<style scoped>
.when {
  white-space: nowrap;
}
.old td {
  color: var(--ink2);
}
</style>
