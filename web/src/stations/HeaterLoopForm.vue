<script setup lang="ts">
import { NButton } from 'naive-ui'
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'

import { answer, client, type Schemas } from '../api/client'
import RulesDrawing from '../drawings/RulesDrawing.vue'
import TraceCurve from '../drawings/TraceCurve.vue'
import LogDrop from '../heat/LogDrop.vue'
import TraceReading from '../heat/TraceReading.vue'
import LiveCurve from '../live/LiveCurve.vue'
import RoutineBar from '../live/RoutineBar.vue'
import ReadingField from '../ui/ReadingField.vue'
import LinkHint from './LinkHint.vue'
import { useLink } from './useLink'
import { type Station, useForm } from './useStation'
import PickList from '../ui/PickList.vue'
import FoldedPart from '../ui/FoldedPart.vue'

const props = defineProps<{ station: Station; job: number; stationKey: string }>()
const { r, f, v } = useForm<Schemas['HeaterLoopReadings']>(props)
const link = useLink(props.station)
const target = computed(() => v('target_c'))
const here = computed(() => ({ job: props.job, stop: props.stationKey }))
const fault = computed(() => props.station.finding.value?.facts.verdict === 'stop')
const free = computed(() => link.connected.value && !link.running.value && !link.busy.value)

/* A result is laid into the draft, and comes from there. Why one failed is said while the page that saw it is open. */
const ran = ref(0)
watch(
  link.running,
  (routine) => {
    if (routine?.for_stop === `${props.job}/${props.stationKey}`) ran.value = routine.number
  },
  { immediate: true },
)
const failed = computed(() => {
  const routine = link.printer.value?.routine
  return routine?.number === ran.value ? (routine.done?.failed ?? '') : ''
})

async function start(kind: 'hold' | 'autotune' | 'verify') {
  if (target.value === null) return
  const fan = (v('fan_percent') ?? 0) / 100
  await link.run(kind, target.value, { fan }, here.value)
}
function readHold(view: Schemas['TraceView']) {
  if (view.hold) r.value.hold = view.hold
}
function readTune(view: Schemas['TraceView']) {
  if (view.tune) r.value.tune = view.tune
}

/** The newest log: verification, autotune, hold. */
const newest = computed<{ trace: number | null; reading: Schemas['TraceReading']; name: string } | null>(
  () => {
    for (const [name, what] of [
      ['verify', 'Verification'],
      ['tune', 'Autotune'],
      ['hold', 'Hold test'],
    ] as const) {
      const result = r.value[name] as { trace: number | null; reading: Schemas['TraceReading'] } | null
      if (result) return { trace: result.trace, reading: result.reading, name: what }
    }
    return null
  },
)
const traceId = computed(() => newest.value?.trace ?? null)
const { data: log } = useQuery({
  queryKey: ['trace', traceId],
  queryFn: () => answer(client.GET('/api/v1/traces/{id}', { params: { path: { id: traceId.value ?? 0 } } })),
  enabled: () => traceId.value !== null,
})

const controllers = computed(() => {
  const field = props.station.fieldAt('controller')
  return field?.kind === 'choice' ? field.options.map((o) => ({ value: o.id, label: o.label })) : []
})
const plant = computed(() => (r.value.tune as Schemas['TuneResult'] | null)?.plant?.plant ?? null)
const facts = computed(() => props.station.finding.value?.facts)
const setNow = computed(
  () => (facts.value?.verdict === 'pass' && facts.value.after_text) || facts.value?.before_text || null,
)
const { data: rules } = useQuery({
  queryKey: [
    'rules',
    plant,
    target,
    setNow,
    computed(() => [r.value.tune?.ultimate, r.value.tune?.trace, r.value.controller]),
  ],
  queryFn: () =>
    answer(
      client.POST('/api/v1/heat/rules', {
        body: {
          plant: plant.value as Schemas['Plant'],
          ultimate: (r.value.tune as Schemas['TuneResult']).ultimate ?? null,
          target_c: target.value ?? 0,
          set: setNow.value,
          trace: r.value.tune?.trace ?? null,
          controller: r.value.controller,
        },
      }),
    ),
  enabled: () => plant.value !== null && target.value !== null && !fault.value,
})

const proposed = computed(() => (facts.value?.verdict === 'adjust' && facts.value.after_text) || null)
const commands = computed(() => props.station.finding.value?.facts.commands.map((c) => c.line) ?? [])
async function write() {
  const gains = proposed.value
  const got = await link.write(commands.value)
  if (!got || !gains) return
  r.value.written = {
    gains,
    taken: got.not_taken.length === 0,
    stored: got.not_taken.length === 0 && got.not_stored.length === 0,
    says: got.says,
  }
}
async function readGains() {
  const got = await link.report()
  if (!got?.gains) return
  r.value.form = 'byte'
  const [p = '', i = '', d = ''] = got.gains
  /* What the printer holds now goes before what was written to it once. */
  Object.assign(r.value, { set_p: p, set_i: i, set_d: d, written: null })
}
</script>

<template>
  <div class="grid">
    <ReadingField v-model="r.target_c" v-bind="f('target_c')" label="Print temperature" />
    <ReadingField v-model="r.fan_percent" v-bind="f('fan_percent')" label="Part fan while tuning" />
    <ReadingField v-model="r.sink_c" v-bind="f('sink_c')" label="Heat sink, after it was hot" />
  </div>
  <LinkHint
    :station="station"
    otherwise="Not connected: drop logs in below, or type what the display shows."
  />
  <div v-if="link.connected.value" class="ways" tabindex="-1" role="group" aria-label="Work on the printer">
    <NButton :type="!r.hold ? 'primary' : 'default'" ghost :disabled="!free" @click="start('hold')">
      Hold test, 3 min
    </NButton>
    <NButton
      v-if="!fault"
      :type="r.hold && !r.tune ? 'primary' : 'default'"
      ghost
      :disabled="!free"
      @click="start('autotune')"
    >
      Autotune
    </NButton>
    <NButton
      v-if="!fault && proposed"
      :type="r.tune && r.written?.gains !== proposed ? 'primary' : 'default'"
      ghost
      :disabled="!free"
      @click="write"
    >
      Write and store
    </NButton>
    <NButton
      v-if="!fault"
      :type="r.tune && !proposed && !r.verify ? 'primary' : 'default'"
      ghost
      :disabled="!free"
      @click="start('verify')"
    >
      Verify: step, hold, fan
    </NButton>
  </div>
  <RoutineBar
    v-if="link.running.value && link.id.value"
    :printer="link.id.value"
    :routine="link.running.value"
  />
  <p v-if="failed" class="error" role="alert">{{ failed }}</p>
  <p v-if="link.failure.value" class="error" role="alert">{{ link.failure.value }}</p>
  <p v-if="r.written && !fault" class="written" :class="r.written.stored ? 'pass' : 'stop'" role="status">
    {{ r.written.gains }}: {{ r.written.says }}
  </p>

  <LiveCurve
    v-if="link.running.value && link.id.value"
    :printer="link.id.value"
    :seconds="600"
    :height="210"
  />
  <template v-else-if="newest">
    <h2>{{ newest.name }}</h2>
    <TraceReading v-if="newest.name !== 'Autotune' && !fault" :reading="newest.reading" />
    <TraceCurve
      v-if="log"
      :samples="log.samples"
      :marks="fault ? newest.reading.marks : []"
      :band="log.band_c"
      :height="220"
      :label="`${newest.name}: ${newest.reading.headline}`"
    />
  </template>

  <RulesDrawing
    v-if="rules && !fault"
    v-model:rule="r.rule"
    v-model:controller="r.controller"
    :rules="rules"
    :target="target ?? 0"
    :controllers="controllers"
  />
  <p v-else-if="r.tune?.no_plant && !fault" class="quiet">No model: {{ r.tune.no_plant }}</p>

  <FoldedPart
    title="Gains set, logs from a file, values off a display"
    :open="!link.connected.value && !r.tune"
  >
    <div class="set">
      <ReadingField v-model="r.set_p" v-bind="f('set_p')" label="Gain P set" small />
      <ReadingField v-model="r.set_i" v-bind="f('set_i')" label="Gain I set" small />
      <ReadingField v-model="r.set_d" v-bind="f('set_d')" label="Gain D set" small />
      <PickList
        id="gain-form"
        v-model="r.form"
        label="Form"
        :options="[
          { value: 'byte', label: 'output 0-255' },
          { value: 'unit', label: 'output 0-1' },
        ]"
      />
      <NButton v-if="link.connected.value" :disabled="!free" @click="readGains"> Read them </NButton>
    </div>
    <div class="two">
      <LogDrop
        label="Drop a log of a hold here"
        :printer="link.id.value"
        :job="job"
        :target="target ?? undefined"
        @read="readHold"
      />
      <LogDrop
        label="Drop a log of an autotune here"
        :printer="link.id.value"
        :job="job"
        :target="target ?? undefined"
        autotune
        @read="readTune"
      />
    </div>
    <div class="typed">
      <ReadingField
        v-model="r.report"
        v-bind="f('report')"
        label="Report of its autotune, pasted"
        words
        small
      />
      <ReadingField v-model="r.typed_ku" v-bind="f('typed_ku')" label="Ku shown" small />
      <ReadingField v-model="r.typed_tu_s" v-bind="f('typed_tu_s')" label="Tu shown" small />
      <ReadingField v-model="r.typed_overshoot_c" v-bind="f('typed_overshoot_c')" label="Overshoot" small />
      <ReadingField v-model="r.typed_settle_s" v-bind="f('typed_settle_s')" label="Settled after" small />
      <ReadingField v-model="r.typed_swing_c" v-bind="f('typed_swing_c')" label="Highest less lowest" small />
      <ReadingField v-model="r.typed_dip_c" v-bind="f('typed_dip_c')" label="Dip with the fan" small />
    </div>
  </FoldedPart>
</template>

<style scoped>
.written {
  border-left: 6px solid var(--rule);
  padding-left: 14px;
}
.written.pass {
  border-color: var(--pass);
}
.written.stop {
  border-color: var(--stop);
  color: var(--stop);
}
.set {
  display: grid;
  grid-template-columns: 1fr 1fr 1fr 1.2fr auto;
  gap: 10px;
  align-items: end;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
  margin: 12px 0;
}
.typed {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 10px;
}
</style>
