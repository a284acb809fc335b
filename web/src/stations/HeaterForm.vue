<script setup lang="ts">
import { computed, watch } from 'vue'

import CeilingDrawing from '../drawings/CeilingDrawing.vue'
import RoutineBar from '../live/RoutineBar.vue'
import ReadingField from '../ui/ReadingField.vue'
import SensorPick from '../ui/SensorPick.vue'
import LinkHint from './LinkHint.vue'
import { useLink } from './useLink'
import { type Station, useForm } from './useStation'

const props = defineProps<{ station: Station; job: number; stationKey: string }>()
const { r, f, v, says } = useForm(props)
const link = useLink(props.station)
const routine = computed(() => link.printer.value?.routine)
/** Every part's limit with its words: the finding's rows begin with them. */
const limits = computed(() => {
  const finding = props.station.finding.value
  const own = (finding?.facts.own ?? {}) as { limits?: { most_c: number }[] }
  return (own.limits ?? []).map((l, i) => ({
    c: l.most_c,
    name: finding?.words.rows[i]?.name ?? '',
    shown: finding?.words.rows[i]?.after ?? '',
  }))
})
async function ask() {
  const planned = v('planned_c')
  if (planned !== null) await link.run('limit', planned, {}, { job: props.job, station: props.stationKey })
}
watch(
  () => routine.value?.done?.taken_c,
  (taken) => {
    if (taken != null && routine.value?.for_station === `${props.job}/${props.stationKey}`)
      r.value.taken_c = String(taken)
  },
)
</script>

<template>
  <CeilingDrawing :limits="limits" :planned="v('planned_c')" :says="says('planned_c')" />
  <div class="grid">
    <ReadingField v-model="r.ohm" v-bind="f('ohm')" label="Heater, cold at its leads" />
    <ReadingField v-model="r.supply_v" v-bind="f('supply_v')" label="Supply" />
    <ReadingField v-model="r.marked_w" v-bind="f('marked_w')" label="Marked on the heater" />
    <ReadingField v-model="r.planned_c" v-bind="f('planned_c')" label="Hottest print planned" />
  </div>
  <div class="parts">
    <SensorPick id="heater-sensor" v-model="r.sensor" label="Sensor" />
    <div>
      <label for="heater-nozzle">Nozzle</label>
      <select id="heater-nozzle" v-model="r.nozzle">
        <option value="brass">brass</option>
        <option value="copper">plated copper</option>
        <option value="steel">steel</option>
      </select>
    </div>
    <div>
      <label for="heater-block">Heater block</label>
      <select id="heater-block" v-model="r.block">
        <option value="aluminium">aluminium</option>
        <option value="copper">copper</option>
      </select>
    </div>
    <ReadingField v-model="r.firmware_limit_c" v-bind="f('firmware_limit_c')" label="Firmware limit" small />
  </div>
  <LinkHint
    :station="station"
    otherwise="Not connected: set the planned target on the display and type which one it took."
  />
  <div class="ask">
    <ReadingField v-model="r.taken_c" v-bind="f('taken_c')" label="Target the printer took" small />
    <button
      v-if="link.connected.value"
      type="button"
      class="soft"
      :disabled="link.busy.value || link.running.value !== null"
      @click="ask"
    >
      Ask the printer: does it take {{ says('planned_c') }}? The heater is on for a moment
    </button>
  </div>
  <RoutineBar
    v-if="link.running.value && link.id.value"
    :printer="link.id.value"
    :routine="link.running.value"
  />
  <p v-if="link.failure.value" class="error" role="alert">{{ link.failure.value }}</p>
</template>

<style scoped>
.parts {
  display: grid;
  grid-template-columns: 1.6fr 1fr 1fr 1fr;
  gap: 12px;
  align-items: end;
}
select {
  width: 100%;
}
.ask {
  display: grid;
  grid-template-columns: 210px auto;
  gap: 12px;
  align-items: end;
  justify-content: start;
}
</style>
