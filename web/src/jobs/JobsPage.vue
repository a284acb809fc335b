<script setup lang="ts">
import { useInfiniteQuery, useQuery, useQueryClient, keepPreviousData } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { NButton } from 'naive-ui'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import { ServerError, answer, client, get, type Schemas } from '../api/client'
import { endWord, moment } from '../api/words'
import ChoiceRow from '../ui/ChoiceRow.vue'
import FilePick from '../ui/FilePick.vue'
import PickList from '../ui/PickList.vue'
import TextLine from '../ui/TextLine.vue'
import WideTable from '../ui/WideTable.vue'

const A_PAGE = 100
const printer = ref('')
const state = ref<'' | 'open' | 'stopped' | Schemas['JobEnd']>('')
const text = ref('')
const words = refDebounced(text, 200)
const { data: bench } = useQuery({ queryKey: ['bench'], queryFn: () => get('/api/v1/bench') })
const {
  data: pages,
  error,
  hasNextPage,
  fetchNextPage,
} = useInfiniteQuery({
  queryKey: ['jobs', 'list', printer, state, words],
  queryFn: ({ pageParam }) =>
    answer(
      client.GET('/api/v1/jobs', {
        params: {
          query: {
            before: pageParam,
            printer: printer.value ? Number(printer.value) : undefined,
            state: state.value || undefined,
            text: words.value || undefined,
          },
        },
      }),
    ),
  placeholderData: keepPreviousData,
  initialPageParam: undefined as number | undefined,
  getNextPageParam: (last) => (last.length < A_PAGE ? undefined : last.at(-1)?.id),
})
const data = computed(() => pages.value?.pages.flat())
const queries = useQueryClient()
const router = useRouter()
const failure = ref('')
async function take(file: File) {
  failure.value = ''
  const text = await file.text()
  try {
    const made = await answer(
      client.POST('/api/v1/import', {
        // The file goes as it is: the server names line and field of what doesn't read.
        body: text as never,
        bodySerializer: (b: unknown) => String(b),
        headers: { 'Content-Type': 'application/json' },
      }),
    )
    await queries.invalidateQueries()
    void router.push(`/jobs/${made.id}`)
  } catch (e) {
    failure.value = e instanceof ServerError ? e.problem.detail : String(e)
  }
}
</script>

<template>
  <section class="page">
    <div class="top">
      <div>
        <h1>Jobs</h1>
        <p class="quiet">Start a new one from its printer on the bench.</p>
      </div>
      <FilePick label="Take in a job file" accept=".json,application/json" @file="take" />
    </div>
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    <div class="filters">
      <PickList
        id="jobs-printer"
        v-model="printer"
        label="Printer"
        :options="[
          { value: '', label: 'all' },
          ...[...(bench?.rows ?? []).map((r) => r.printer), ...(bench?.retired ?? [])].map((p) => ({
            value: String(p.id),
            label: p.name,
          })),
        ]"
      />
      <TextLine
        id="jobs-text"
        v-model="text"
        class="grow"
        label="Number, complaint, customer or technician"
      />
      <ChoiceRow
        v-model="state"
        name="state"
        label="State"
        :options="[
          { value: '', label: 'all' },
          { value: 'open', label: 'open' },
          { value: 'stopped', label: 'stopped' },
          { value: 'handed_over', label: 'handed over' },
          { value: 'unfixed', label: 'unfixed' },
          { value: 'cancelled', label: 'cancelled' },
        ]"
      />
    </div>
    <p v-if="error" class="error">{{ error.message }}</p>
    <p v-else-if="data && data.length === 0">
      {{ printer || state || words ? 'No job like that.' : 'No job yet.' }}
    </p>
    <WideTable v-else-if="data">
      <thead>
        <tr>
          <th scope="col">Job</th>
          <th scope="col">Printer</th>
          <th scope="col">Complaint</th>
          <th scope="col">Opened</th>
          <th scope="col">State</th>
          <th scope="col">Report</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="j in data" :key="j.id">
          <td class="mono">
            <RouterLink :to="`/jobs/${j.id}`">{{ j.id }}</RouterLink>
          </td>
          <td>{{ j.printer }}</td>
          <td>{{ j.complaint || 'planned change' }}</td>
          <td>{{ moment(j.opened_at) }}</td>
          <td>
            <span v-if="j.ended" class="chip" :class="j.ended === 'handed_over' ? 'pass' : 'redo'">{{
              endWord[j.ended].toLowerCase()
            }}</span>
            <span v-else-if="j.stopped" class="chip stop">stopped</span>
            <span v-else class="chip redo">open</span>
            {{ j.now }}
          </td>
          <td><RouterLink :to="`/jobs/${j.id}/report`">report</RouterLink></td>
        </tr>
      </tbody>
    </WideTable>
    <NButton v-if="hasNextPage" class="more" @click="fetchNextPage()">Older jobs</NButton>
  </section>
</template>

<style scoped>
.top {
  display: flex;
  justify-content: space-between;
  align-items: start;
  margin-bottom: 14px;
}
.more {
  margin-top: 12px;
}
</style>
