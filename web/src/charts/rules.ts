import type { Schemas } from '../api/client'
import type { Tokens } from '../app/theme'
import type { ChartOption } from './furnish'
import { timeWords, type Reader } from './trace'

/** What every tuning rule would do on the identified plant; the chosen one is inked, the present gains dashed. */
export function rulesChart(
  rules: Schemas['RulesAnswer'],
  chosen: Schemas['TuningRule'],
  target: number,
  t: Tokens,
  read: Reader,
): ChartOption {
  const points = (all: readonly number[]) => all.map((c, i) => [i * rules.step_s, read.number(c)])
  const runs = rules.runs.flatMap((r) => (r.run ? [{ ...r, points: r.run.points }] : []))
  const end = Math.max(...runs.map((r) => r.points.length), rules.set?.points.length ?? 1) - 1
  const highest = Math.max(target + 4, ...runs.flatMap((r) => r.points), ...(rules.set?.points ?? []))
  return {
    series: [
      ...runs.map((r) => ({
        name: r.label,
        data: points(r.points),
        lineStyle:
          r.rule === chosen ? { color: t.accent, width: 2.6 } : { color: t.ink2, width: 1.1, opacity: 0.55 },
        z: r.rule === chosen ? 5 : 2,
      })),
      ...(rules.set
        ? [
            {
              name: 'set now',
              data: points(rules.set.points),
              lineStyle: { color: t.ink, width: 1.6, type: 'dashed' as const },
              z: 4,
            },
          ]
        : []),
      {
        name: '',
        data: [],
        markLine: {
          symbol: 'none',
          silent: true,
          lineStyle: { color: t.ink2, type: 'dotted' },
          label: { formatter: 'part fan', color: t.ink2, position: 'insideEndTop' },
          data: [{ xAxis: rules.fan_at_s }],
        },
        markArea: {
          silent: true,
          itemStyle: { color: t.passWash },
          data: [
            [
              { xAxis: 0, yAxis: read.number(target - rules.band_c) },
              { xAxis: end * rules.step_s, yAxis: read.number(target + rules.band_c) },
            ],
          ],
        },
      },
    ],
    x: { interval: 60, max: end * rules.step_s, axisLabel: { formatter: (v: number) => `${v} s` } },
    y: [
      {
        min: read.number(target - 14),
        // As high as what happens, but a runaway rule shall not press the others flat.
        max: read.number(Math.min(target + 25, Math.ceil(highest + 1))),
        // The ends are no round numbers.
        axisLabel: {
          formatter: (v: number) => `${+v.toFixed(1)}°`,
          showMinLabel: false,
          showMaxLabel: false,
        },
      },
    ],
    says: (at, values) =>
      [timeWords(at), ...values.map((v) => `${v.name} ${read.words(v.value, 1)}`)].join('\n'),
  }
}
