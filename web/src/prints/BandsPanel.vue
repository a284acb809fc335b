<script setup lang="ts">
import { refDebounced, useSessionStorage } from '@vueuse/core'
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, watch } from 'vue'
import { useRouter } from 'vue-router'

import { answer, client, type Schemas } from '../api/client'
import { numberOf } from '../api/words'
import { useAttempt } from '../ui/attempt'
import PickList from '../ui/PickList.vue'
import TextLine from '../ui/TextLine.vue'
import { KINDS, MULTIPLIES, wentWrong, type Band, type PrintPage } from './usePrint'

/* One setting by height: typed as first, last and step; the server says what it means while it is typed. */
const props = defineProps<{ page: PrintPage; printer: number | null }>()
const emit = defineEmits<{ bands: [kind: string, bands: Band[]] }>()
const router = useRouter()
const queries = useQueryClient()
const { failure, busy, attempt } = useAttempt()
const blank = {
  kind: 'flow' as string,
  first: '',
  last: '',
  step: '',
  every: '10',
  from: '',
  profile: '',
}
const typed = useSessionStorage(`bands-${props.page.print.id}`, { ...blank })
const multiplies = computed(() => MULTIPLIES.includes(typed.value.kind))
const body = computed((): Schemas['NewBands'] => ({
  kind: typed.value.kind as Schemas['BandKind'],
  first: typed.value.first,
  last: typed.value.last,
  step: typed.value.step,
  every: typed.value.every,
  from: typed.value.from,
  printer_id: props.printer,
  profile_flow: multiplies.value ? typed.value.profile : '',
}))
/* What was wrong with other numbers is no longer so. */
watch(body, () => {
  failure.value = ''
})
const asked = refDebounced(body, 200)
const { data: meant, error: notMeant } = useQuery({
  queryKey: ['bands', asked],
  enabled: () =>
    asked.value.first.trim() !== '' && (asked.value.last.trim() === '' || asked.value.step.trim() !== ''),
  queryFn: () => answer(client.POST('/api/v1/prints/bands', { body: asked.value })),
  placeholderData: keepPreviousData,
  retry: false,
})
const bands = computed(() => (typed.value.first.trim() && !notMeant.value ? (meant.value ?? []) : []))
watch(
  bands,
  (b) => {
    emit('bands', typed.value.kind, b)
  },
  { immediate: true },
)
const label = computed(() => {
  const n = bands.value.length
  return n ? `Make it with ${n} ${n === 1 ? 'band' : 'bands'}` : 'Make it'
})
/* Dragged on the strip. */
defineExpose({
  /* The lowest edge moves all bands; every other one makes all of them higher or lower. */
  drag(edge: number, z: number) {
    const from = numberOf(typed.value.from) ?? 0
    if (edge === 0) typed.value.from = z > 0.05 ? z.toFixed(1) : ''
    else typed.value.every = Math.max(0.2, (z - from) / edge).toFixed(1)
  },
})
let stop = new AbortController()
async function make() {
  stop = new AbortController()
  const got = await attempt(() =>
    answer(
      client.POST('/api/v1/prints/{id}/bands', {
        params: { path: { id: props.page.print.id } },
        body: body.value,
        signal: stop.signal,
      }),
    ),
  )
  if (stop.signal.aborted) failure.value = 'Stopped: nothing was made.'
  if (!got) return
  typed.value = { ...blank }
  await queries.invalidateQueries({ queryKey: ['prints'] })
  await router.push({ path: `/prints/${got.id}`, query: props.printer ? { printer: props.printer } : {} })
}
</script>

<template>
  <section class="bands" aria-labelledby="bands-title">
    <h2 id="bands-title">Change by height</h2>
    <PickList id="band-kind" v-model="typed.kind" label="What" :options="KINDS" />
    <div class="row">
      <TextLine id="band-first" v-model="typed.first" label="First" decimal @enter="make" />
      <TextLine id="band-last" v-model="typed.last" label="Last" decimal @enter="make" />
      <TextLine id="band-step" v-model="typed.step" label="Step" decimal @enter="make" />
    </div>
    <div class="row">
      <TextLine id="band-every" v-model="typed.every" label="Every, mm" decimal @enter="make" />
      <TextLine id="band-from" v-model="typed.from" label="From, mm" decimal @enter="make" />
      <TextLine
        v-if="multiplies"
        id="band-profile"
        v-model="typed.profile"
        label="Profile has"
        decimal
        @enter="make"
      />
    </div>
    <p v-if="typed.kind === 'temperature' && printer === null" class="quiet">
      No printer is chosen above: a lined hot end’s ceiling counts.
    </p>
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    <p v-else-if="notMeant && typed.first.trim()" class="quiet">{{ wentWrong(notMeant) }}</p>
    <NButton type="primary" :disabled="busy || !typed.first.trim()" @click="make">
      {{ busy ? 'Changing and reading again …' : label }}
    </NButton>
    <NButton v-if="busy" @click="stop.abort()">Stop</NButton>
  </section>
</template>

<style scoped>
.bands {
  display: grid;
  gap: 8px;
}
.row {
  display: grid;
  grid-template-columns: repeat(3, minmax(0, 1fr));
  gap: 8px;
}
</style>
