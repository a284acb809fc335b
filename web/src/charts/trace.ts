import type { LineSeriesOption } from 'echarts/charts'

import type { Schemas } from '../api/client'
import type { Tokens } from '../app/theme'
import type { ChartOption } from './furnish'

type Sample = Schemas['Sample']

export interface TraceChart {
  samples: readonly Sample[]
  marks: readonly Schemas['Mark'][]
  /** Half width of the band about the target that counts as settled [°C]. */
  band?: number
  ceiling?: number
  live?: boolean
  /** What it is of; the nozzle where nothing is said. */
  of?: string
}

/** What turns °C into what the shop reads. */
export interface Reader {
  number: (c: number) => number
  words: (c: number, digits: number) => string
}

/** "4.5 min", "35 s"; "−2 min" where times count back. */
export function timeWords(t: number): string {
  const s = Math.abs(t)
  const text = s < 120 ? `${+s.toFixed(0)} s` : `${+(s / 60).toFixed(1)} min`
  return t < 0 ? `−${text}` : text
}

/** Runs of samples with one target, heater on: where the band lies and the line is drawn. */
export function holds(samples: readonly Sample[]): { from: number; to: number; target: number }[] {
  const runs: { from: number; to: number; target: number }[] = []
  let last: { from: number; to: number; target: number } | null = null
  for (const s of samples) {
    if (!s.target_c) last = null
    else if (last && last.target === s.target_c) last.to = s.t_s
    else {
      if (last) last.to = s.t_s
      last = { from: s.t_s, to: s.t_s, target: s.target_c }
      runs.push(last)
    }
  }
  return runs
}

/** A step between two lines of a time axis that a person counts in. */
export function timeStep(span: number, most = 8): number {
  return [10, 30, 60, 120, 300, 600, 1800, 3600, 7200, 14400].find((t) => span / t <= most) ?? 28800
}

/** A temperature log: curve, target, duty, marks, the band about the target. */
export function traceChart(log: TraceChart, t: Tokens, read: Reader): ChartOption {
  const of = log.of ?? 'nozzle'
  const runs = holds(log.samples)
  const first = log.samples[0]?.t_s ?? 0
  const last = log.samples.at(-1)?.t_s ?? 1
  const step = timeStep(last - first)
  const band = (log.band ?? 0) || null
  const series: LineSeriesOption[] = [
    {
      name: of,
      data: log.samples.map((s) => [s.t_s, read.number(s.temp_c)]),
      lineStyle: { color: t.ink, width: 1.8 },
      z: 4,
      markArea: {
        silent: true,
        data: [
          ...(band === null
            ? []
            : runs.map((r): [object, object] => [
                {
                  xAxis: r.from,
                  yAxis: read.number(r.target - band),
                  itemStyle: { color: t.passWash },
                },
                { xAxis: r.to, yAxis: read.number(r.target + band) },
              ])),
          ...log.marks.map((m): [object, object] => [
            {
              xAxis: m.from_s,
              itemStyle: { color: t.stop, opacity: 0.3, borderColor: t.stop, borderWidth: 2 },
            },
            { xAxis: m.to_s },
          ]),
        ],
      },
    },
    {
      name: 'target',
      // A gap where the heater is off.
      data: runs.flatMap((r) => [
        [r.from, read.number(r.target)],
        [r.to, read.number(r.target)],
        [r.to, null],
      ]),
      lineStyle: { color: t.pass, width: 1.5 },
      z: 3,
    },
  ]
  if (log.samples.some((s) => s.duty != null))
    series.push({
      name: 'duty',
      yAxisIndex: 1,
      step: 'end',
      data: log.samples.map((s) => [s.t_s, s.duty ?? null]),
      lineStyle: { width: 0 },
      areaStyle: { color: t.metal, opacity: 0.75 },
      z: 1,
    })
  if (log.ceiling) {
    const top = Math.max(...log.samples.map((s) => s.temp_c))
    // A ceiling far above all that happened would only press the curve flat.
    if (log.ceiling < top + 60)
      series.push({
        name: 'ceiling',
        data: [
          [first, read.number(log.ceiling)],
          [last, read.number(log.ceiling)],
        ],
        lineStyle: { color: t.stop, type: 'dashed', width: 1.5 },
      })
  }
  return {
    live: log.live,
    series,
    x: {
      // Marks stand at whole steps, wherever the log begins.
      min: Math.floor(first / step) * step,
      interval: step,
      axisLabel: { formatter: (v: number) => timeWords(v), hideOverlap: true },
    },
    y: [
      // Labels have one digit: closer ones would say the same twice.
      { minInterval: 0.1, axisLabel: { formatter: (v: number) => `${+v.toFixed(1)}°` } },
      // The lowest sixth: duty is read as much or little, not as a number.
      { min: 0, max: 6, show: false },
    ],
    says: (at, values) =>
      [
        timeWords(at),
        ...values.map((v) =>
          v.name === 'duty'
            ? `duty ${(v.value * 100).toFixed(0)} %`
            : `${v.name} ${read.words(v.value, v.name === of ? 1 : 0)}`,
        ),
      ].join('\n'),
  }
}
