<script setup lang="ts">
import { NRadio } from 'naive-ui'
import { computed, defineAsyncComponent } from 'vue'

import type { Schemas } from '../api/client'
import { usePen } from '../app/pen'
import { useTokens } from '../app/theme'
import { rulesChart } from '../charts/rules'
import WideTable from '../ui/WideTable.vue'

/* What every tuning rule would do on the identified plant, in one picture; the chosen one is inked. */
const ChartBox = defineAsyncComponent(() => import('../charts/ChartBox.vue'))
const model = defineModel<Schemas['TuningRule']>({ required: true })
const { degree, difference, temperatureNumber } = usePen()
const props = defineProps<{ rules: Schemas['RulesAnswer']; target: number }>()
const tokens = useTokens()
const option = computed(() =>
  rulesChart(props.rules, model.value, props.target, tokens.value, {
    number: temperatureNumber,
    words: (shown, digits) => `${shown.toFixed(digits)} ${degree.value}`,
  }),
)
const one = (v: number | null | undefined, digits = 1) => (v == null ? '–' : v.toFixed(digits))
</script>

<template>
  <section aria-label="What each rule would do">
    <h2>
      What each rule would do here: step from {{ difference(40, 0) }} {{ degree }} below, hold, part fan
    </h2>
    <ChartBox
      :option="option"
      :height="220"
      :label="`Simulated runs of the rules, ${model} inked`"
      file="rules-compared"
    />
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
