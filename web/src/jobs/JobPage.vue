<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { useMessage } from 'naive-ui'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { answer, client } from '../api/client'
import { hours } from '../api/words'
import StationWorktop from '../stations/StationWorktop.vue'
import TravellerCard from '../ui/TravellerCard.vue'

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
/** The stop of this job at which a station named by a finding is worked through: of the same filament, if it has one. */
function back(station: string) {
  const lines = data.value?.traveller.lines ?? []
  const filament = key.value.split('.')[1]
  const at = [station, `${station}.${filament}`]
  const stop = lines.find((l) => at.includes(l.key)) ?? lines.find((l) => l.key.startsWith(`${station}.`))
  if (stop) void router.push(`/jobs/${id.value}/${stop.key}`)
  else
    message.warning(
      'That station isn’t on this job’s route. Set it right by hand, write a note, then measure here again.',
      { duration: 9000 },
    )
}
function go(next: string | null | undefined) {
  void router.push(next ? `/jobs/${id.value}/${next}` : `/jobs/${id.value}/report`)
}
</script>

<template>
  <p v-if="error" class="page error">{{ error.message }}</p>
  <div v-else-if="data" class="job">
    <aside class="card" aria-label="Traveller">
      <div class="head">
        <strong>{{ data.printer.name }}</strong> <span class="quiet">job {{ data.job.id }}</span>
        <p class="quiet">{{ data.job.complaint || 'no complaint' }}</p>
      </div>
      <TravellerCard :card="data.traveller" :job="id" :active="key" />
      <div class="foot">
        <p v-if="data.traveller.now">
          Left: {{ hours(data.traveller.at_least.hands_min) }} of hands at least,
          {{ hours(data.traveller.at_most.hands_min) }} at most
        </p>
        <p v-else>Handed over.</p>
        <RouterLink :to="`/jobs/${id}/report`">Report</RouterLink>
      </div>
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
      <h1>This job is handed over.</h1>
      <p><RouterLink :to="`/jobs/${id}/report`">Open the report</RouterLink></p>
    </section>
  </div>
  <p v-else class="page quiet">Opening the job …</p>
</template>

<style scoped>
.job {
  display: grid;
  grid-template-columns: 256px minmax(0, 1fr);
  height: 100%;
}
.card {
  position: relative;
  background: var(--sheet);
  border-right: 2px dotted var(--ink2);
  overflow: auto;
  display: flex;
  flex-direction: column;
}
.head,
.foot {
  padding: 14px 16px;
  font-size: 15px;
}
.head strong {
  font-size: 18px;
}
.head {
  border-bottom: 1px solid var(--rule);
}
.foot {
  margin-top: auto;
  border-top: 1px solid var(--rule);
}
</style>
