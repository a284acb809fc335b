<script setup lang="ts">
import { NRadio } from 'naive-ui'
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import { usePen } from '../app/pen'
import WideTable from '../ui/WideTable.vue'

/* What every tuning rule would do on the identified plant, in one picture; the chosen one is inked. */
const model = defineModel<Schemas['TuningRule']>({ required: true })
const { degree, difference, temperatureNumber } = usePen()
const props = defineProps<{ rules: Schemas['RulesAnswer']; target: number }>()
const W = 760
const H = 190
const L = 46
const R = 8
const T = 8
const B = 22
const view = computed(() => {
  const runs = props.rules.runs.flatMap((r) => (r.run ? [{ rule: r.rule, points: r.run.points }] : []))
  const n = Math.max(2, ...runs.map((r) => r.points.length))
  const high = Math.min(props.target + 25, Math.max(props.target + 4, ...runs.flatMap((r) => r.points)) + 1)
  const low = props.target - 14
  const x = (i: number) => L + (i / (n - 1)) * (W - L - R)
  const y = (c: number) => T + ((high - c) / (high - low)) * (H - T - B)
  const line = (points: number[]) =>
    points
      .map((c, i) => ({ c, i }))
      .filter((p) => p.c >= low)
      .map(
        (p, k) => `${k ? 'L' : 'M'}${x(p.i).toFixed(1)} ${y(Math.min(high, Math.max(low, p.c))).toFixed(1)}`,
      )
      .join('')
  const seconds = (n - 1) * props.rules.step_s
  const times = [0, 60, 120, 180, 240, 300].filter((t) => t <= seconds)
  return {
    lines: runs.map((r) => ({ rule: r.rule, d: line(r.points) })),
    set: props.rules.set ? line(props.rules.set.points) : '',
    y,
    times: times.map((t) => ({ t, x: x(t / props.rules.step_s) })),
    fan: x(props.rules.fan_at_s / props.rules.step_s),
    grid: [props.target - 10, props.target, props.target + 10].filter((c) => c < high),
  }
})
const one = (v: number | null | undefined, digits = 1) => (v == null ? '–' : v.toFixed(digits))
</script>

<template>
  <section aria-label="What each rule would do">
    <h2>
      What each rule would do here: step from {{ difference(40, 0) }} {{ degree }} below, hold, part fan
    </h2>
    <svg :viewBox="`0 0 ${W} ${H}`" role="img" :aria-label="`Simulated runs of the rules, ${model} inked`">
      <rect
        :x="L"
        :y="view.y(target + 1.5)"
        :width="W - L - R"
        :height="view.y(target - 1.5) - view.y(target + 1.5)"
        class="band"
      />
      <template v-for="c in view.grid" :key="c">
        <path :d="`M${L} ${view.y(c)}H${W - R}`" class="grid" />
        <text :x="L - 6" :y="view.y(c) + 4" text-anchor="end">{{ temperatureNumber(c).toFixed(0) }}°</text>
      </template>
      <path :d="`M${view.fan} ${T}V${H - B}`" class="fan" />
      <text :x="view.fan + 5" :y="T + 11">part fan</text>
      <text
        v-for="t in view.times"
        :key="t.t"
        :x="Math.max(L + 10, Math.min(W - 22, t.x))"
        :y="H - 5"
        text-anchor="middle"
      >
        {{ t.t }} s
      </text>
      <path v-for="l in view.lines" :key="l.rule" :d="l.d" class="run" />
      <path v-if="view.set" :d="view.set" class="set" />
      <path
        v-for="l in view.lines.filter((x) => x.rule === model)"
        :key="`on-${l.rule}`"
        :d="l.d"
        class="run on"
      />
    </svg>
    <WideTable>
      <thead>
        <tr>
          <th scope="col">Rule</th>
          <th scope="col">Gains, output 0-255</th>
          <th scope="col">over, {{ degree }}</th>
          <th scope="col">settled, s</th>
          <th scope="col">dip, {{ degree }}</th>
          <th scope="col">gain to spare</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="run in rules.runs" :key="run.rule" :class="{ on: run.rule === model }">
          <th scope="row">
            <NRadio
              :checked="model === run.rule"
              name="rule"
              :value="run.rule"
              :disabled="!run.run"
              @change="model = run.rule"
            >
              {{ run.label }}<small>{{ run.why }} {{ run.source }}.</small>
            </NRadio>
          </th>
          <td class="mono">{{ run.run?.gains ?? 'nothing to go by' }}</td>
          <td class="mono">{{ difference(run.run?.figures.overshoot_c) }}</td>
          <td class="mono">{{ one(run.run?.figures.settle_s, 0) }}</td>
          <td class="mono">{{ difference(run.run?.figures.dip_c) }}</td>
          <td class="mono">{{ run.run?.margins ? `×${run.run.margins.gain.toFixed(1)}` : '–' }}</td>
        </tr>
        <tr v-if="rules.set">
          <th scope="row" class="now">Set now (dashed)</th>
          <td class="mono">{{ rules.set.gains }}</td>
          <td class="mono">{{ difference(rules.set.figures.overshoot_c) }}</td>
          <td class="mono">{{ one(rules.set.figures.settle_s, 0) }}</td>
          <td class="mono">{{ difference(rules.set.figures.dip_c) }}</td>
          <td class="mono">{{ rules.set.margins ? `×${rules.set.margins.gain.toFixed(1)}` : '–' }}</td>
        </tr>
      </tbody>
    </WideTable>
  </section>
</template>

<style scoped>
svg {
  width: 100%;
  display: block;
  background: var(--sheet);
  border: 1px solid var(--rule);
}
text {
  font: 12px var(--mono);
  fill: var(--ink2);
}
.band {
  fill: var(--passWash);
}
.grid {
  stroke: var(--rule);
}
.fan {
  stroke: var(--ink2);
  stroke-dasharray: 3 3;
}
.run {
  fill: none;
  stroke: var(--ink2);
  stroke-opacity: 0.55;
  stroke-width: 1.1;
}
.run.on {
  stroke: var(--accent);
  stroke-opacity: 1;
  stroke-width: 2.6;
}
.set {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.6;
  stroke-dasharray: 6 4;
}
/* A rule's name and reason wrap, so that its figures are seen beside it. */
th :deep(.n-radio) {
  white-space: normal;
  align-items: center;
  min-width: 176px;
}
th small {
  display: block;
  color: var(--ink2);
  font-size: 13px;
}
.now {
  padding: 10px 0 10px 28px;
  font-size: 15px;
}
.on th span {
  font-weight: 700;
}
.on small {
  font-weight: 400;
}
td {
  white-space: nowrap;
}
</style>
