<script setup lang="ts">
import { useSessionStorage } from '@vueuse/core'
import { useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, watch } from 'vue'
import { useRouter } from 'vue-router'

import { answer, client, type Schemas } from '../api/client'
import { numberOf } from '../api/words'
import { useAttempt } from '../ui/attempt'
import PickList from '../ui/PickList.vue'
import TextLine from '../ui/TextLine.vue'
import type { PrintPage } from './usePrint'

/* One setting by height: typed as first, last and step; shown on the strip while it is typed. */
const props = defineProps<{ page: PrintPage }>()
const emit = defineEmits<{
  bands: [bands: { from_mm: number; to_mm: number; shown: string; effective: string }[]]
}>()
type Kind = Schemas['BandKind']
const KINDS: { value: Kind; label: string; unit: string }[] = [
  { value: 'flow', label: 'Flow override', unit: '' },
  { value: 'temperature', label: 'Nozzle temperature, °C', unit: '°C' },
  { value: 'fan', label: 'Part fan, 0 to 1', unit: '' },
  { value: 'pressure_advance', label: 'Pressure advance, s', unit: 's' },
  { value: 'retraction_distance', label: 'Retraction, mm', unit: 'mm' },
  { value: 'retraction_speed', label: 'Retraction speed, mm/s', unit: 'mm/s' },
  { value: 'own_retraction', label: 'The board’s own retraction, mm', unit: 'mm' },
  { value: 'travel_speed', label: 'Travel speed, mm/s', unit: 'mm/s' },
  { value: 'hop', label: 'Hop, mm', unit: 'mm' },
  { value: 'first_layer_flow', label: 'Flow of the first layer', unit: '' },
]
const router = useRouter()
const queries = useQueryClient()
const { failure, busy, attempt } = useAttempt()
const blank = { kind: 'flow' as string, first: '', last: '', step: '', every: '10', from: '', profile: '' }
const typed = useSessionStorage(`bands-${props.page.print.id}`, { ...blank })
const unit = computed(() => KINDS.find((k) => k.value === typed.value.kind)?.unit ?? '')
const multiplies = computed(() => ['flow', 'first_layer_flow'].includes(typed.value.kind))
/* Where bands are to lie, as far as it is typed; the server has the last word. */
const bands = computed(() => {
  const t = typed.value
  const [first, last, step, every] = [t.first, t.last, t.step, t.every].map(numberOf)
  if (first == null || !every || every <= 0) return []
  const n = last == null || !step ? 1 : Math.floor(Math.abs((last - first) / step) + 1e-6) + 1
  const from = numberOf(t.from) ?? 0
  const profile = numberOf(t.profile)
  const way = last != null && last < first ? -1 : 1
  return Array.from({ length: Math.min(n, 400) }, (_, i) => {
    const value = first + way * i * Math.abs(step ?? 0)
    return {
      from_mm: from + i * every,
      to_mm: from + (i + 1) * every,
      shown: `${Number(value.toFixed(4))} ${unit.value}`,
      effective: multiplies.value && profile ? `with profile ${Number((value * profile).toFixed(4))}` : '',
    }
  })
})
watch(
  bands,
  (b) => {
    emit('bands', b)
  },
  { immediate: true },
)
async function make() {
  const t = typed.value
  const got = await attempt(() =>
    answer(
      client.POST('/api/v1/prints/{id}/bands', {
        params: { path: { id: props.page.print.id } },
        body: {
          kind: t.kind as Kind,
          first: t.first,
          last: t.last,
          step: t.step,
          every: t.every,
          from: t.from,
          profile_flow: t.profile,
        },
      }),
    ),
  )
  if (!got) return
  typed.value = { ...blank }
  await queries.invalidateQueries({ queryKey: ['prints'] })
  await router.push(`/prints/${got.id}`)
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
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    <NButton type="primary" :disabled="busy || !typed.first.trim()" @click="make">
      {{ busy ? 'Changing and reading again …' : `Make it with ${bands.length || ''} bands` }}
    </NButton>
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
