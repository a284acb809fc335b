<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, ref, watch } from 'vue'

import { answer, client, get, type Schemas } from '../api/client'
import { useAttempt } from '../ui/attempt'
import PickList from '../ui/PickList.vue'
import TextLine from '../ui/TextLine.vue'
import { time, type PrintPage } from './usePrint'

/* Is the bigger bore worth it? From the same part sliced for it, or estimated from this one. */
const props = defineProps<{ page: PrintPage; printer: number | null }>()
const { failure, busy, attempt } = useAttempt()
const { data: prints } = useQuery({ queryKey: ['prints'], queryFn: () => get('/api/v1/prints') })
const typed = ref({ width: '', height: '', speed: '', flow_limit: '', hour: '' })
const MATERIALS = ['PLA', 'PETG', 'ABS', 'ASA', 'TPU', 'PC', 'PA12'].map((m) => ({ value: m, label: m }))
const material = ref('PLA')
watch(
  typed,
  () => {
    failure.value = ''
  },
  { deep: true },
)
const estimate = ref<Schemas['Estimated'] | null>(null)
const other = ref('')
const beside = ref<Schemas['Beside'] | null>(null)
const others = computed(() =>
  (prints.value ?? [])
    .filter((p) => p.id !== props.page.print.id)
    .map((p) => ({ value: String(p.id), label: p.name })),
)
async function ask() {
  estimate.value = await attempt(() =>
    answer(
      client.POST('/api/v1/prints/{id}/bore', {
        params: { path: { id: props.page.print.id }, query: { printer_id: props.printer ?? undefined } },
        body: typed.value,
      }),
    ),
  )
}
async function compare() {
  beside.value = await attempt(() =>
    answer(
      client.GET('/api/v1/prints/{id}/beside/{other}', {
        params: {
          path: { id: props.page.print.id, other: Number(other.value) },
          query: {
            printer_id: props.printer ?? undefined,
            material: material.value,
            hour: typed.value.hour,
          },
        },
      }),
    ),
  )
}
const costs = (money: number | null | undefined) =>
  money == null ? '' : ` That ${money >= 0 ? 'saves' : 'costs'} ${Math.abs(money).toFixed(2)} a part.`
const saves = (percent: number) =>
  percent >= 0 ? `${percent.toFixed(0)} % saved` : `${(-percent).toFixed(0)} % longer`
</script>

<template>
  <section class="bore" aria-label="Another bore">
    <p class="quiet">
      Now
      {{
        page.bead
          ? `${page.bead.width_mm.toFixed(2)} × ${page.bead.height_mm.toFixed(2)} mm beads`
          : 'no beads'
      }}. With another bore:
    </p>
    <div class="row">
      <TextLine id="bore-width" v-model="typed.width" label="Width, mm" decimal @enter="ask" />
      <TextLine id="bore-height" v-model="typed.height" label="Layer, mm" decimal @enter="ask" />
      <TextLine id="bore-speed" v-model="typed.speed" label="Top, mm/s" decimal @enter="ask" />
      <TextLine id="bore-flow" v-model="typed.flow_limit" label="Limit, mm³/s" decimal @enter="ask" />
      <TextLine id="bore-hour" v-model="typed.hour" label="An hour costs" decimal @enter="ask" />
    </div>
    <NButton :disabled="busy" @click="ask">Estimate</NButton>
    <p v-if="estimate" role="status">
      <strong class="mono">{{ time(estimate.then_s) }}</strong> instead of {{ time(estimate.now_s) }}:
      {{ saves(estimate.saved_percent) }}, {{ estimate.flow_bound_then_percent.toFixed(0) }} % of it held by
      flow. {{ estimate.layers_then }} layers instead of {{ estimate.layers_now }}; no wall thinner than
      {{ estimate.smallest_wall_mm.toFixed(2) }} mm.{{ costs(estimate.saved_money) }} An estimate: note the
      clock.
    </p>
    <template v-if="others.length">
      <PickList id="bore-material" v-model="material" label="Material" :options="MATERIALS" />
      <PickList id="bore-other" v-model="other" label="Or beside another file" :options="others" />
      <NButton :disabled="busy || !other" @click="compare">Compare</NButton>
      <p v-if="beside" role="status">
        <strong class="mono">{{ time(beside.b.seconds) }}</strong> instead of {{ time(beside.a.seconds) }}:
        {{ saves(beside.saved_percent) }}. {{ beside.b.layers }} layers instead of {{ beside.a.layers }},
        {{ (beside.b.volume_mm3 / 1000).toFixed(1) }} instead of
        {{ (beside.a.volume_mm3 / 1000).toFixed(1) }} cm³<template v-if="beside.grams">
          ({{ beside.grams[1]?.toFixed(1) }} instead of {{ beside.grams[0]?.toFixed(1) }} g)</template
        >; no wall thinner than {{ beside.b.bead?.width_mm.toFixed(2) }} instead of
        {{ beside.a.bead?.width_mm.toFixed(2) }} mm.{{ costs(beside.saved_money) }}
      </p>
    </template>
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
  </section>
</template>

<style scoped>
.bore {
  display: grid;
  gap: 8px;
  justify-items: start;
}
.row {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 8px;
}
</style>
