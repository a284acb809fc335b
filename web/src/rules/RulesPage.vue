<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { NRadio, NRadioButton, NRadioGroup, useMessage } from 'naive-ui'
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import { ServerError, answer, client, get, type Schemas } from '../api/client'
import { numberOf } from '../api/words'
import CellTable from './CellTable.vue'
import LearnedCases from './LearnedCases.vue'
import FoldedPart from '../ui/FoldedPart.vue'
import TextLine from '../ui/TextLine.vue'
import WideTable from '../ui/WideTable.vue'

const route = useRoute()
const queries = useQueryClient()
const message = useMessage()
const { data: catalogue } = useQuery({ queryKey: ['catalogue'], queryFn: () => get('/api/v1/catalogue') })
const { data: house, error } = useQuery({ queryKey: ['house'], queryFn: () => get('/api/v1/house') })
const rules = computed(() =>
  (catalogue.value?.rules ?? []).map((spec) => {
    const now = house.value?.rules.find((r) => r.id === spec.id)
    return { spec, now, says: spec.options.find((o) => o.id === now?.option)?.label ?? '' }
  }),
)
const tolerances = computed(() =>
  (catalogue.value?.tolerances ?? []).map((spec) => ({
    spec,
    value: house.value?.tolerances.find((t) => t.id === spec.id)?.shown,
  })),
)
async function done<T>(call: Promise<T>, what: string | ((got: T) => string)) {
  try {
    const got = await call
    message.info(typeof what === 'string' ? what : what(got))
  } catch (e) {
    if (e instanceof ServerError) message.error(e.problem.detail)
  }
  await queries.invalidateQueries({ queryKey: ['house'] })
  await queries.invalidateQueries({ queryKey: ['catalogue'] })
}
function choose(rule: Schemas['RuleId'], option: string, reason: string) {
  void done(
    answer(
      client.PUT('/api/v1/house/rules/{rule}', { params: { path: { rule } }, body: { option, reason } }),
    ),
    'House rule kept.',
  )
}
function tolerance(spec: Schemas['ToleranceShown'], text: string) {
  // A number without a unit is in the shop's, which stands behind the field.
  const value = spec.symbol !== spec.kept && numberOf(text) !== null ? `${text} ${spec.symbol}` : text
  void done(
    answer(
      client.PUT('/api/v1/house/tolerances/{id}', { params: { path: { id: spec.id } }, body: { value } }),
    ),
    (kept) => `${spec.label}: ${kept.shown} ${spec.symbol} kept.`,
  )
}
function show(part: Partial<Schemas['Pen']>) {
  if (!house.value) return
  const body = { ...house.value.units, ...part }
  void done(answer(client.PUT('/api/v1/house/units', { body })), 'Units kept.')
}
function instrument(i: Schemas['Instrument'], key: 'half_width' | 'shared_half_width', text: string) {
  const value = numberOf(text)
  if (value === null) {
    message.error(`${i.name}: “${text}” is not a number. Type the limit in ${i.unit}.`)
    return
  }
  void done(
    answer(
      client.PUT('/api/v1/house/instruments/{id}', {
        params: { path: { id: i.id } },
        body: { ...i, [key]: value },
      }),
    ),
    `${i.name} kept.`,
  )
}
</script>

<template>
  <section class="page">
    <h1>House rules</h1>
    <p class="quiet">
      Where good practitioners differ, your shop decides. Wherever a rule decides something, it is named
      there.
    </p>
    <p v-if="error" class="error">{{ error.message }}</p>
    <template v-else-if="house">
      <div class="rules">
        <fieldset v-for="{ spec, now, says } in rules" :id="spec.id" :key="spec.id">
          <legend class="visually-hidden">{{ spec.question }}</legend>
          <FoldedPart :title="spec.question" :says="says" :open="route.hash === `#${spec.id}`">
            <p class="quiet">{{ spec.decides }}</p>
            <NRadioGroup
              :value="now?.option"
              :name="spec.id"
              @update:value="(option: string) => choose(spec.id, option, now?.own ? now.reason : '')"
            >
              <NRadio v-for="(o, i) in spec.options" :key="o.id" :value="o.id" class="option">
                {{ o.label }}<span v-if="i === 0" class="quiet">&nbsp;(default)</span>
              </NRadio>
            </NRadioGroup>
            <TextLine
              :id="`why-${spec.id}`"
              label="Why"
              :model-value="now?.reason ?? ''"
              @change="(why) => choose(spec.id, now?.option ?? '', why)"
            />
          </FoldedPart>
        </fieldset>
      </div>
      <h2 id="units" class="part">Units</h2>
      <p class="quiet">
        What is kept and sent stays in °C and millimetres. A number typed with its unit, “392 °F” or “0.5 in”,
        is understood in any shop.
      </p>
      <div class="units">
        <div role="radiogroup" aria-label="Temperatures in">
          <NRadioGroup
            :value="house.units.temperature"
            name="temperature"
            size="large"
            @update:value="(temperature: 'celsius' | 'fahrenheit') => show({ temperature })"
          >
            <NRadioButton value="celsius" label="°C" />
            <NRadioButton value="fahrenheit" label="°F" />
          </NRadioGroup>
        </div>
        <div role="radiogroup" aria-label="Lengths in">
          <NRadioGroup
            :value="house.units.length"
            name="length"
            size="large"
            @update:value="(length: 'millimetre' | 'inch') => show({ length })"
          >
            <NRadioButton value="millimetre" label="millimetres" />
            <NRadioButton value="inch" label="inches" />
          </NRadioGroup>
        </div>
      </div>
      <h2 class="part">Tolerances</h2>
      <WideTable>
        <thead>
          <tr>
            <th scope="col">Limit</th>
            <th scope="col">Value</th>
            <th scope="col">Why the default</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="{ spec, value } in tolerances" :key="spec.id">
            <td>
              {{ spec.label }}
            </td>
            <td class="value">
              <TextLine
                :id="`tol-${spec.id}`"
                :label="spec.label"
                bare
                decimal
                :model-value="value ?? ''"
                @change="(text) => tolerance(spec, text)"
              />
              {{ spec.symbol }}
            </td>
            <td class="quiet">{{ spec.why }} {{ spec.bounds }}</td>
          </tr>
        </tbody>
      </WideTable>
      <h2 class="part">Instruments</h2>
      <WideTable>
        <thead>
          <tr>
            <th scope="col">Instrument</th>
            <th scope="col">One reading, ±</th>
            <th scope="col">Shared by a series (zero, thickness), ±</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="i in house.instruments" :key="i.id">
            <td>{{ i.name }}</td>
            <td class="value">
              <TextLine
                :id="`half_width-${i.id}`"
                :label="`${i.name}, one reading`"
                bare
                decimal
                :model-value="String(i.half_width)"
                @change="(text) => instrument(i, 'half_width', text)"
              />
              {{ i.unit }}
            </td>
            <td class="value">
              <TextLine
                :id="`shared_half_width-${i.id}`"
                :label="`${i.name}, shared`"
                bare
                decimal
                :model-value="String(i.shared_half_width)"
                @change="(text) => instrument(i, 'shared_half_width', text)"
              />
              {{ i.unit }}
            </td>
          </tr>
        </tbody>
      </WideTable>
      <LearnedCases />
      <CellTable
        v-if="catalogue"
        :catalogue="catalogue"
        :cells="house.cells"
        @kept="(call) => done(call, 'Cell kept.')"
      />
    </template>
  </section>
</template>

<style scoped>
/* As high as the buttons that it parts. */
.units :deep(.n-radio-group__splitor) {
  height: auto;
}
.units {
  display: flex;
  gap: 20px;
  margin-top: 8px;
}
.rules {
  margin-top: 14px;
  border-top: 1px solid var(--rule);
}
.rules fieldset {
  border-bottom: 1px solid var(--rule);
}
.option {
  display: flex;
  align-items: center;
  min-height: 36px;
  gap: 8px;
  color: var(--ink);
  font-size: 16px;
  margin: 0;
}
.part {
  margin-top: 26px;
}
.value :deep(.line) {
  display: inline-block;
  width: 110px;
}
.value {
  white-space: nowrap;
}
</style>
