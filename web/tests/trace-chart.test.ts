import { expect, test } from 'vitest'

import { light } from '../src/app/theme'
import { furnished } from '../src/charts/furnish'
import { holds, timeStep, timeWords, traceChart } from '../src/charts/trace'

const sample = (t_s: number, temp_c: number, target_c: number | null, duty: number | null = null) => ({
  t_s,
  temp_c,
  target_c,
  duty,
  fan: null,
})
const celsius = { number: (c: number) => c, words: (c: number, d: number) => `${c.toFixed(d)} °C` }

test('a line is drawn for each target that was held, and none where the heater is off', () => {
  const log = [
    sample(0, 20, 200),
    sample(10, 200, 200),
    sample(20, 200, 0),
    sample(30, 150, null),
    sample(40, 150, 210),
    sample(50, 205, 210),
    sample(60, 205, 240),
  ]
  expect(holds(log)).toEqual([
    { from: 0, to: 10, target: 200 },
    { from: 40, to: 60, target: 210 },
    { from: 60, to: 60, target: 240 },
  ])
})

test('times are marked in steps that a person counts in, never more than eight', () => {
  for (const span of [40, 300, 901, 5400, 80_000]) {
    const step = timeStep(span)
    expect(span / step).toBeLessThanOrEqual(8)
    expect([10, 30, 60, 120, 300, 600, 1800, 3600, 7200, 14400, 28800]).toContain(step)
  }
  expect(timeWords(-120)).toBe('−2 min')
  expect(timeWords(119)).toBe('119 s')
})

test('marks, band, duty and a ceiling within reach are in the picture; one far above is left out', () => {
  const samples = [sample(0, 20, 200, 1), sample(60, 199, 200, 0.4)]
  const marks = [{ from_s: 10, to_s: 12, says: 'a drop' }]
  const near = traceChart({ samples, marks, band: 1.5, ceiling: 240 }, light, celsius)
  expect(near.series.map((s) => s.name)).toEqual(['nozzle', 'target', 'duty', 'ceiling'])
  const areas = near.series[0]?.markArea?.data ?? []
  expect(areas).toHaveLength(2)
  expect(areas[0]).toMatchObject([{ yAxis: 198.5 }, { yAxis: 201.5 }])
  const far = traceChart({ samples, marks, band: 1.5, ceiling: 300 }, light, celsius)
  expect(far.series.map((s) => s.name)).not.toContain('ceiling')
})

test('a shop of Fahrenheit reads Fahrenheit on the axis and at the cursor', () => {
  const fahrenheit = {
    number: (c: number) => 1.8 * c + 32,
    words: (f: number, d: number) => `${f.toFixed(d)} °F`,
  }
  const chart = traceChart({ samples: [sample(0, 100, 200)], marks: [] }, light, fahrenheit)
  expect(chart.series[0]?.data).toEqual([[0, 212]])
  expect(chart.says?.(0, [{ name: 'nozzle', value: 212 }])).toBe('0 s\nnozzle 212.0 °F')
})

test('a live curve and a kept picture have no zoom, and no markup ever stands at the cursor', () => {
  const chart = traceChart({ samples: [sample(0, 100, 200)], marks: [] }, light, celsius)
  expect(furnished(chart, light).dataZoom).toHaveLength(1)
  expect(furnished(chart, light, true).dataZoom).toHaveLength(0)
  expect(furnished({ ...chart, live: true }, light).dataZoom).toHaveLength(0)
  expect(furnished(chart, light).tooltip).toMatchObject({ renderMode: 'richText' })
})

test('an axis keeps the ink of the pages where a chart says how its numbers read', () => {
  const chart = traceChart({ samples: [sample(0, 100, 200)], marks: [] }, light, celsius)
  const { xAxis, yAxis } = furnished(chart, light)
  for (const axis of [xAxis, yAxis[0]])
    expect(axis?.axisLabel).toMatchObject({ color: light.ink2, fontSize: 12.5 })
  expect(xAxis.axisLabel).toHaveProperty('formatter')
})
