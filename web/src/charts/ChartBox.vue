<script setup lang="ts">
import { LineChart } from 'echarts/charts'
import {
  DataZoomComponent,
  GridComponent,
  MarkAreaComponent,
  MarkLineComponent,
  TooltipComponent,
} from 'echarts/components'
import { init, use } from 'echarts/core'
import { CanvasRenderer, SVGRenderer } from 'echarts/renderers'
import { NButton } from 'naive-ui'
import { computed, ref } from 'vue'
import VChart from 'vue-echarts'

import { useTokens } from '../app/theme'
import { furnished, type ChartOption } from './furnish'

/* A chart of the library in the bench's ink: a cursor, a way to look closer, and a picture to keep. */
use([
  LineChart,
  GridComponent,
  TooltipComponent,
  DataZoomComponent,
  MarkAreaComponent,
  MarkLineComponent,
  CanvasRenderer,
  SVGRenderer,
])
const props = withDefaults(
  defineProps<{ option: ChartOption; label: string; height?: number; file?: string }>(),
  { height: 220, file: 'chart' },
)
const tokens = useTokens()
const chart = ref<InstanceType<typeof VChart>>()
const option = computed(() => furnished(props.option, tokens.value))
/** Part of the width that is seen, in percent. */
const seen = ref({ start: 0, end: 100 })
const whole = computed(() => seen.value.end - seen.value.start > 99)
function look(start: number, end: number) {
  const width = Math.min(100, end - start)
  const from = Math.max(0, Math.min(start, 100 - width))
  chart.value?.dispatchAction({ type: 'dataZoom', start: from, end: from + width })
}
function closer(times: number) {
  const { start, end } = seen.value
  const half = ((end - start) * times) / 2
  look((start + end) / 2 - half, (start + end) / 2 + half)
}
function shift(part: number) {
  const { start, end } = seen.value
  look(start + (end - start) * part, end + (end - start) * part)
}
function zoomed(event: unknown) {
  type Seen = { start?: number; end?: number }
  const { batch, ...all } = event as Seen & { batch?: Seen[] }
  const at = batch?.[0] ?? all
  if (at.start !== undefined && at.end !== undefined) seen.value = { start: at.start, end: at.end }
}
function keep(kind: 'png' | 'svg') {
  const box = chart.value?.getDom()
  if (!box) return
  const size = { width: box.clientWidth, height: box.clientHeight }
  // Drawn afresh without a screen: what is seen, and nothing of what is pointed at.
  const drawn = init(null, null, { renderer: 'svg', ssr: true, ...size })
  drawn.setOption(furnished(props.option, tokens.value, true))
  drawn.setOption({ dataZoom: [{ type: 'inside', filterMode: 'none', ...seen.value }] })
  const svg = drawn.renderToSVGString()
  drawn.dispose()
  const url =
    kind === 'svg'
      ? URL.createObjectURL(new Blob([svg], { type: 'image/svg+xml' }))
      : (chart.value?.getDataURL({ type: 'png', pixelRatio: 2, backgroundColor: tokens.value.sheet }) ?? '')
  const link = Object.assign(document.createElement('a'), { href: url, download: `${props.file}.${kind}` })
  link.click()
  if (kind === 'svg') URL.revokeObjectURL(url)
}
</script>

<template>
  <figure class="chart">
    <div class="box" role="img" :aria-label="label">
      <VChart ref="chart" :option="option" :style="{ height: `${height}px` }" autoresize @datazoom="zoomed" />
    </div>
    <div v-if="!props.option.live" class="tools no-print">
      <NButton quaternary @click="closer(0.5)">Closer</NButton>
      <template v-if="!whole">
        <NButton quaternary aria-label="Earlier" @click="shift(-0.5)">◂</NButton>
        <NButton quaternary aria-label="Later" @click="shift(0.5)">▸</NButton>
        <NButton quaternary @click="look(0, 100)">Whole</NButton>
      </template>
      <span class="grow" />
      <NButton quaternary @click="keep('png')">Keep as PNG</NButton>
      <NButton quaternary @click="keep('svg')">Keep as SVG</NButton>
    </div>
  </figure>
</template>

<style scoped>
.chart {
  margin: 0;
}
.box {
  background: var(--sheet);
  border: 1px solid var(--rule);
}
.tools {
  display: flex;
  flex-wrap: wrap;
}
.grow {
  flex: 1;
}
</style>
