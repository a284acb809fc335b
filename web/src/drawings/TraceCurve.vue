<script setup lang="ts">
import { computed, defineAsyncComponent } from 'vue'

import type { Schemas } from '../api/client'
import { usePen } from '../app/pen'
import { useTokens } from '../app/theme'
import { traceChart } from '../charts/trace'

/* A temperature log with its marks. The chart is fetched where one is looked at, not with the first page. */
const ChartBox = defineAsyncComponent(() => import('../charts/ChartBox.vue'))
const props = withDefaults(
  defineProps<{
    samples: readonly Schemas['Sample'][]
    label: string
    marks?: readonly Schemas['Mark'][]
    /** Half width of the band about the target that counts as settled [°C]. */
    band?: number
    ceiling?: number
    height?: number
    /** What it is of; the nozzle where nothing is said. */
    of?: string
    /** Times count back from now. */
    live?: boolean
  }>(),
  { marks: () => [], height: 240, band: undefined, ceiling: undefined, of: undefined },
)
const tokens = useTokens()
const { temperatureNumber, degree } = usePen()
const option = computed(() =>
  traceChart(props, tokens.value, {
    number: temperatureNumber,
    words: (shown, digits) => `${shown.toFixed(digits)} ${degree.value}`,
  }),
)
</script>

<template>
  <ChartBox
    :option="option"
    :label="marks.length ? `${label} ${marks.length} places marked.` : label"
    :height="height"
    file="temperature-log"
  />
</template>
