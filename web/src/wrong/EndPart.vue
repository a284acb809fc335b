<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref, watch } from 'vue'

import type { Schemas } from '../api/client'
import TextLine from '../ui/TextLine.vue'
import HelpPack from './HelpPack.vue'
import PreventList from './PreventList.vue'
import SwappedLine from './SwappedLine.vue'
import type { CasePage } from './useCase'

/* The end of a case without a proof, or after it: what was ruled out, whom to ask, when to ask again. */
const props = defineProps<{ page: CasePage; failure: string; busy: boolean; plain?: boolean }>()
const emit = defineEmits<{ end: [body: Schemas['EndCase']]; follow: [day: string | null]; saw: [] }>()
const day = ref(props.page.case.follow_up ?? '')
watch(
  () => props.page.case.follow_up,
  (now) => (day.value = now ?? ''),
)
const over = computed(() => props.page.case.ended_at != null)
const title = computed(() => {
  switch (props.page.case.ended) {
    case 'proven':
      return `It was the ${props.page.cause}.`
    case 'nothing_found':
      return 'Nothing was found.'
    case 'given_up':
      return 'Nobody went on with it.'
    default:
      return 'Nothing found. Nothing more here is worth doing.'
  }
})
const finish = (how: Schemas['CaseEnd'] | null) =>
  emit('end', { how, cause: null, by: null, counts: false, job: false, filament_ids: [] })
</script>

<template>
  <section class="end" :aria-label="plain ? 'End of the case' : 'What came of it'">
    <template v-if="!plain">
      <p class="kind">{{ over ? 'This case is over' : 'As far as this goes' }}</p>
      <h1>{{ title }}</h1>
      <template v-if="!over">
        <p>
          What could be looked at is in order, or nobody could tell. Seen something else? Say it, and the
          search goes on. Else write to somebody who knows this machine, with all of it.
        </p>
        <p><NButton @click="emit('saw')">Say what you saw …</NButton></p>
      </template>
      <PreventList v-if="page.case.ended === 'proven' && page.proven" :proven="page.proven" />
      <p v-if="over && page.case.job_id">
        <RouterLink :to="`/jobs/${page.case.job_id}`">To job {{ page.case.job_id }}</RouterLink>
      </p>
      <SwappedLine v-if="over" :page="page" />
      <div v-if="page.ruled_out.length && page.case.ended !== 'proven'">
        <h2>Ruled out</h2>
        <ul>
          <li v-for="r in page.ruled_out" :key="r">{{ r }}</li>
        </ul>
      </div>
    </template>
    <HelpPack :page="page" />
    <div class="day">
      <TextLine
        :id="plain ? 'follow-day-2' : 'follow-day'"
        v-model="day"
        label="Ask again on, like 2026-12-03"
        @enter="emit('follow', day)"
      />
      <NButton :disabled="busy" @click="emit('follow', day)">Keep the day</NButton>
    </div>
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    <div class="ways">
      <NButton v-if="over" :disabled="busy" @click="finish(null)">It goes on</NButton>
      <template v-else>
        <NButton :disabled="busy" :type="plain ? undefined : 'primary'" @click="finish('nothing_found')">
          End it: nothing found
        </NButton>
        <NButton :disabled="busy" @click="finish('given_up')">Give it up</NButton>
      </template>
    </div>
  </section>
</template>

<style scoped>
.end {
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.kind {
  color: var(--ink2);
  font-weight: 600;
}
ul {
  margin: 0;
  padding-left: 20px;
}
.day {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: end;
}
.day > :first-child {
  width: 240px;
}
</style>
