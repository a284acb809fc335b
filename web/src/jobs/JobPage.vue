<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { useEventListener, useMediaQuery } from '@vueuse/core'
import { NButton, NDrawer, NDrawerContent, useMessage } from 'naive-ui'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { answer, client } from '../api/client'
import { endWord } from '../api/words'
import StationWorktop from '../stations/StationWorktop.vue'
import JobCard from './JobCard.vue'
import JobDialog from './JobDialog.vue'
import TimelineBand from './TimelineBand.vue'

const route = useRoute()
const router = useRouter()
const message = useMessage()
const id = computed(() => Number(route.params.id))
const { data, error } = useQuery({
  queryKey: ['job', id],
  queryFn: () => answer(client.GET('/api/v1/jobs/{id}', { params: { path: { id: id.value } } })),
})
/* Counts up so that a station repeated after an adjust starts from fresh readings. */
const round = ref(0)
const key = computed(() => String(route.params.key || data.value?.traveller.now || ''))
const narrow = useMediaQuery('(max-width: 900px)')
const routeShown = ref(false)
const deeds = ref(false)
/* From any field: what happens doesn't wait for a free hand. */
useEventListener(document, 'keydown', (event: KeyboardEvent) => {
  if (event.key !== '.' || !(event.ctrlKey || event.metaKey) || document.querySelector('[role=dialog]'))
    return
  event.preventDefault()
  deeds.value = true
})
/** The stop that is open, and its place on the route. */
const place = computed(() => {
  const lines = data.value?.traveller.lines ?? []
  const at = lines.findIndex((l) => l.key === key.value)
  return at < 0 ? 'handed over' : `${lines[at]?.title}, ${at + 1} of ${lines.length}`
})
/** The stop of this job at which a station named by a finding is worked through: of the same filament, if it has one. */
function back(station: string) {
  const lines = data.value?.traveller.lines ?? []
  const filament = key.value.split('.')[1]
  const at = [station, `${station}.${filament}`]
  const stop = lines.find((l) => at.includes(l.key)) ?? lines.find((l) => l.key.startsWith(`${station}.`))
  if (stop) void router.push(`/jobs/${id.value}/${stop.key}`)
  else
    message.warning(
      'That station isn’t on this job’s route. Was a part at fault? Add it under “Something happened …”, and the plan follows.',
      { duration: 9000 },
    )
}
function go(next: string | null | undefined) {
  const ended = data.value?.job.ended === 'unfixed' || data.value?.job.ended === 'cancelled'
  void router.push(next || ended ? `/jobs/${id.value}/${next ?? ''}` : `/jobs/${id.value}/report`)
}
</script>

<template>
  <p v-if="error" class="page error">{{ error.message }}</p>
  <div v-else-if="data" class="whole">
    <TimelineBand v-if="!data.job.ended" :job="id" :narrow="narrow" />
    <div class="job" :class="{ narrow }">
      <template v-if="narrow">
        <div class="line">
          <span class="where">
            <strong>{{ data.printer.name }}</strong> job {{ data.job.id }}: {{ place }}
          </span>
          <NButton aria-haspopup="dialog" @click="routeShown = true">Route</NButton>
        </div>
        <NDrawer v-model:show="routeShown" placement="left" width="min(320px, 86vw)">
          <NDrawerContent
            title="Route"
            closable
            body-content-style="padding: 0 0 var(--strip, 0px)"
            aria-label="Traveller"
          >
            <JobCard :page="data" :active="key" @click="routeShown = false" @deed="deeds = true" />
          </NDrawerContent>
        </NDrawer>
      </template>
      <aside v-else class="card" aria-label="Traveller">
        <JobCard :page="data" :active="key" @deed="deeds = true" />
      </aside>
      <StationWorktop
        v-if="key"
        :key="`${id}/${key}/${round}`"
        :job="id"
        :station-key="key"
        @go="go"
        @back="back"
        @again="round += 1"
      />
      <section v-else class="page">
        <h1>{{ data.job.ended ? `${endWord[data.job.ended]}.` : 'Nothing is left to do.' }}</h1>
        <p><RouterLink :to="`/jobs/${id}/report`">Open the report</RouterLink></p>
      </section>
      <JobDialog v-model:shown="deeds" :page="data" @done="(card) => go(card.now)" />
    </div>
  </div>
  <p v-else class="page quiet">Opening the job …</p>
</template>

<style scoped>
.whole {
  display: flex;
  flex-direction: column;
  height: 100%;
}
.job {
  display: grid;
  grid-template-columns: 256px minmax(0, 1fr);
  flex: 1;
  min-height: 0;
}
.job.narrow {
  grid-template-columns: minmax(0, 1fr);
  grid-template-rows: auto minmax(0, 1fr);
}
.card {
  position: relative;
  background: var(--sheet);
  border-right: 2px dotted var(--ink2);
  overflow: auto;
  display: flex;
  flex-direction: column;
}
.line {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 4px 8px 4px 16px;
  background: var(--sheet);
  border-bottom: 1px solid var(--rule);
}
.where {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
