import type { LineSeriesOption } from 'echarts/charts'
import type { XAXisComponentOption, YAXisComponentOption } from 'echarts'

import { mono, type Tokens } from '../app/theme'

/** What a chart shows; its ink, type and manners come from here. */
export interface ChartOption {
  /** Times count back from now: no cursor buttons, no zoom. */
  live?: boolean
  series: LineSeriesOption[]
  x: XAXisComponentOption
  y: YAXisComponentOption[]
  /** What stands at the cursor. */
  says?: (at: number, values: { name: string; value: number }[]) => string
  /** Space on the left for the numbers [px]. */
  left?: number
}

interface Pointed {
  seriesName?: string
  axisValue?: number
  value?: [number, number | null]
}

/** The library's option for a chart in the tokens of the pages; `still` without cursor or zoom. */
export function furnished(chart: ChartOption, t: Tokens, still = false) {
  const text = { color: t.ink2, fontFamily: mono, fontSize: 12.5 }
  const axis = {
    axisLine: { lineStyle: { color: t.ink2 } },
    axisTick: { lineStyle: { color: t.ink2 } },
    axisLabel: text,
    splitLine: { lineStyle: { color: t.rule } },
    nameTextStyle: text,
  }
  return {
    animation: false,
    backgroundColor: t.sheet,
    textStyle: text,
    grid: { left: chart.left ?? 52, right: 14, top: 14, bottom: 28 },
    xAxis: {
      ...axis,
      type: 'value',
      splitLine: { show: false },
      min: 'dataMin',
      max: 'dataMax',
      ...chart.x,
      // The ink stays where a chart says how its numbers read.
      axisLabel: { ...text, ...chart.x.axisLabel },
    },
    yAxis: chart.y.map((y) => ({
      ...axis,
      type: 'value',
      scale: true,
      ...y,
      axisLabel: { ...text, ...y.axisLabel },
    })),
    series: chart.series.map((s) => ({
      type: 'line',
      showSymbol: false,
      silent: true,
      emphasis: { disabled: true },
      ...s,
    })),
    tooltip: still
      ? { show: false }
      : {
          trigger: 'axis',
          // As text: the policy of the pages lets no styles in that come with markup.
          renderMode: 'richText',
          backgroundColor: t.sheet,
          borderColor: t.ink,
          padding: [6, 10],
          textStyle: { ...text, color: t.ink, fontSize: 13 },
          axisPointer: { type: 'line', lineStyle: { color: t.accent, type: 'solid' } },
          formatter: (points: Pointed | Pointed[]) => {
            const all = [points].flat()
            const at = all[0]?.axisValue ?? 0
            const values = all.flatMap((p) =>
              p.value?.[1] == null ? [] : [{ name: p.seriesName ?? '', value: p.value[1] }],
            )
            return chart.says?.(at, values) ?? ''
          },
        },
    // A page scrolls under the wheel; with Ctrl the wheel looks closer, two fingers and a drag do too.
    dataZoom:
      chart.live || still
        ? []
        : [{ type: 'inside', zoomOnMouseWheel: 'ctrl', moveOnMouseMove: true, filterMode: 'none' }],
  }
}
