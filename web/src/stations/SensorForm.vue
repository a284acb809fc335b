<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { get } from '../api/client'
import { numberOf } from '../api/words'
import SensorDrawing from '../drawings/SensorDrawing.vue'
import ReadingField from '../ui/ReadingField.vue'
import LinkHint from './LinkHint.vue'
import { useLink } from './useLink'
import { type Station, useForm } from './useStation'

const props = defineProps<{ station: Station }>()
const { r, f } = useForm(props)
const link = useLink(props.station)
const { data: sensors } = useQuery({ queryKey: ['sensors'], queryFn: () => get('/api/v1/heat/sensors') })
const error = computed(() => props.station.errorOf('set_type')?.message)
function take() {
  const t = link.printer.value?.status.temperatures
  if (!t) return
  r.value.shown_c = t.nozzle_c.toFixed(1)
  if (t.bed_c != null) r.value.bed_c = t.bed_c.toFixed(1)
}
</script>

<template>
  <LinkHint :station="station" otherwise="Not connected: read both temperatures off the printer’s display." />
  <SensorDrawing :room="numberOf(r.room_c)" :shown="numberOf(r.shown_c)" :ohm="numberOf(r.ohm)" />
  <div class="grid">
    <ReadingField v-model="r.room_c" v-bind="f('room_c')" label="Room, by thermometer" unit="°C" />
    <ReadingField v-model="r.shown_c" v-bind="f('shown_c')" label="Nozzle, as shown" unit="°C" />
    <ReadingField v-model="r.bed_c" v-bind="f('bed_c')" label="Bed, as shown" unit="°C" />
    <ReadingField v-model="r.ohm" v-bind="f('ohm')" label="Resistance at the plug" unit="Ω" />
  </div>
  <div class="row">
    <div class="pick">
      <label for="set-type">Sensor type set in the printer</label>
      <select id="set-type" v-model="r.set_type">
        <option value="">not known</option>
        <option v-for="s in sensors ?? []" :key="s.id" :value="s.id">{{ s.label }}</option>
      </select>
      <p v-if="error" class="error">{{ error }}</p>
    </div>
    <button v-if="link.connected.value" type="button" class="soft" @click="take">
      Take both from the printer
    </button>
  </div>
</template>

<style scoped>
.row {
  display: flex;
  gap: 14px;
  align-items: end;
}
.pick {
  flex: 1;
}
select {
  width: 100%;
}
</style>
