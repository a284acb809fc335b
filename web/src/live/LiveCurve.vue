<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, toRef } from 'vue'

import { answer, client, type Schemas } from '../api/client'
import TraceCurve from '../drawings/TraceCurve.vue'
import { usePen } from '../app/pen'
import { short } from './useLive'

const { temperature } = usePen()
const props = withDefaults(
  defineProps<{
    printer: number
    seconds?: number
    height?: number
    /** What it is of; the nozzle where nothing is said. */
    heater?: Schemas['Heater']
    /** That in a sentence. */
    name?: string
  }>(),
  { seconds: 900, height: 240, heater: () => ({ kind: 'tool', number: 0 }), name: 'the nozzle' },
)
const of = computed(() =>
  props.heater.kind === 'tool'
    ? { of: 'nozzle' as const, nozzle: props.heater.number }
    : { of: props.heater.kind },
)
const id = toRef(props, 'printer')
const span = toRef(props, 'seconds')
const { data } = useQuery({
  queryKey: ['curve', id, span, of],
  queryFn: () =>
    answer(
      client.GET('/api/v1/printers/{id}/curve', {
        params: { path: { id: id.value }, query: { seconds: span.value, ...of.value } },
      }),
    ),
  refetchInterval: 1000,
})
const now = computed(() => data.value?.samples.at(-1)?.temp_c)
</script>

<template>
  <TraceCurve
    v-if="data && data.samples.length > 1"
    :samples="data.samples"
    :of="short({ name })"
    :ceiling="data.ceiling_c"
    :band="data.band_c"
    :height="height"
    :label="`Temperature of ${name}, the last ${Math.round(seconds / 60)} minutes; now ${temperature(now)}`"
    live
  />
  <p v-else class="quiet">No temperature yet.</p>
</template>
