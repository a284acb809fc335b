<script setup lang="ts">
import { NRadio, NTag } from 'naive-ui'
import { computed, defineAsyncComponent } from 'vue'

import type { Schemas } from '../api/client'
import { usePen } from '../app/pen'
import { useTokens } from '../app/theme'
import { rulesChart } from '../charts/rules'
import PickList from '../ui/PickList.vue'
import WideTable from '../ui/WideTable.vue'

/* What every tuning rule would do on the identified plant, in one picture; the chosen one is inked. */
const ChartBox = defineAsyncComponent(() => import('../charts/ChartBox.vue'))
const model = defineModel<Schemas['TuningRule']>('rule', { required: true })
const controller = defineModel<Schemas['ControllerKind']>('controller')
const { degree, difference, temperatureNumber } = usePen()
const props = defineProps<{
  rules: Schemas['RulesAnswer']
  target: number
  controllers: { value: string; label: string }[]
}>()
const tokens = useTokens()
const option = computed(() =>
  rulesChart(props.rules, model.value, props.target, tokens.value, {
    number: temperatureNumber,
    words: (shown, digits) => `${shown.toFixed(digits)} ${degree.value}`,
  }),
)
const one = (v: number | null | undefined, digits = 1) => (v == null ? '–' : v.toFixed(digits))
type Interval = Schemas['Interval']
/* For 95 of 100 of the hot ends that the log allows. */
const between = (i: Interval | null | undefined, words: (v: number) => string) =>
  i && words(i.low) !== words(i.high) ? `${words(i.low)} to ${words(i.high)}` : ''
/* P, I and D one below the other: the table stays as wide as the page. */
const stacked = (gains: string | undefined) => gains?.replace(/ (?=[ID] )/g, '\n') ?? 'nothing to go by'
const kelvins = (v: number) => difference(v)
const seconds = (v: number) => v.toFixed(0)
const times = (v: number) => (v >= 99 ? '–' : `×${v.toFixed(1)}`)
const named = computed(() => props.rules.runs.find((r) => r.rule === props.rules.safest)?.label)
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
    <p v-if="rules.plants" class="quiet">
      Small figures: from where to where for 95 of 100 hot ends that would give this log.
      {{
        named
          ? `${named} is the one that is best where it is worst.`
          : 'No rule keeps its margins and the house’s overshoot on all of them: log a heat-up from cold and an autotune, a report a second.'
      }}
    </p>
    <PickList
      id="controller"
      :model-value="controller"
      label="The printer heats"
      :options="controllers"
      @update:model-value="(v) => (controller = v as Schemas['ControllerKind'])"
    />
    <WideTable>
      <thead>
        <tr>
          <th scope="col">Rule</th>
          <th scope="col">Gains, 0-255</th>
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
              {{ run.label }}
              <NTag v-if="run.rule === rules.safest" size="small" :bordered="false">safest here</NTag
              ><small>{{ run.why }} {{ run.source }}.</small>
            </NRadio>
          </th>
          <td class="mono gains">{{ stacked(run.run?.gains) }}</td>
          <td class="mono">
            {{ difference(run.run?.figures.overshoot_c)
            }}<small>{{ between(run.run?.band?.overshoot_c, kelvins) }}</small>
          </td>
          <td class="mono">
            {{ one(run.run?.figures.settle_s, 0)
            }}<small>{{
              run.run?.band && !run.run.band.settle_s
                ? 'may swing'
                : between(run.run?.band?.settle_s, seconds)
            }}</small>
          </td>
          <td class="mono">
            {{ difference(run.run?.figures.dip_c)
            }}<small>{{ between(run.run?.band?.dip_c, kelvins) }}</small>
          </td>
          <td class="mono">
            {{ run.run?.margins ? times(run.run.margins.gain) : '–'
            }}<small>{{ between(run.run?.band?.gain, times) }}</small>
          </td>
        </tr>
        <tr v-if="rules.set">
          <th scope="row" class="now">Set now (dashed)</th>
          <td class="mono gains">{{ stacked(rules.set.gains) }}</td>
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
small {
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
.gains {
  white-space: pre-line;
}
</style>
