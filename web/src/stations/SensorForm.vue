<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'

import { answer, client, get } from '../api/client'
import SensorDrawing from '../drawings/SensorDrawing.vue'
import WrongTypeDrawing from '../drawings/WrongTypeDrawing.vue'
import ReadingField from '../ui/ReadingField.vue'
import SensorPick from '../ui/SensorPick.vue'
import LinkHint from './LinkHint.vue'
import { useLink } from './useLink'
import { type Station, useForm } from './useStation'

const props = defineProps<{ station: Station }>()
const { r, f, v } = useForm(props)
const link = useLink(props.station)
const { data: sensors } = useQuery({ queryKey: ['sensors'], queryFn: () => get('/api/v1/heat/sensors') })
const error = computed(() => props.station.errorOf('set_type')?.message)
/** The type that the resistance belongs to, where it is another than the one set. */
const seen = computed(
  () => (props.station.finding.value?.facts.own as { fitted_type?: string | null } | undefined)?.fitted_type,
)
/** The type to show the curve for: the one that the finding names, or any other. */
const fitted = ref('')
watch(
  [seen, sensors, () => r.value.set_type],
  ([type, all, set]) => {
    const others = (all ?? []).filter((s) => s.id !== set)
    fitted.value = type ?? (others.some((s) => s.id === fitted.value) ? fitted.value : (others[0]?.id ?? ''))
  },
  { immediate: true },
)
const setType = computed(() => String(r.value.set_type ?? ''))
const { data: curve } = useQuery({
  queryKey: ['wrong-type', fitted, setType],
  queryFn: () =>
    answer(
      client.GET('/api/v1/heat/wrong-type', {
        params: { query: { fitted: fitted.value, set: setType.value } },
      }),
    ),
  enabled: () => fitted.value !== '' && setType.value !== '',
})
function take() {
  const nozzle = link.nozzleC.value
  const bed = link.bedC.value
  if (nozzle == null) return
  r.value.shown_c = nozzle.toFixed(1)
  if (bed != null) r.value.bed_c = bed.toFixed(1)
}
</script>

<template>
  <LinkHint :station="station" otherwise="Not connected: read both temperatures off the printer’s display." />
  <SensorDrawing :room="v('room_c')" :shown="v('shown_c')" :ohm="v('ohm')" />
  <div class="grid">
    <ReadingField v-model="r.room_c" v-bind="f('room_c')" label="Room, by thermometer" />
    <ReadingField v-model="r.shown_c" v-bind="f('shown_c')" label="Nozzle, as shown" />
    <ReadingField v-model="r.bed_c" v-bind="f('bed_c')" label="Bed, as shown" />
    <ReadingField v-model="r.ohm" v-bind="f('ohm')" label="Resistance at the plug" />
  </div>
  <div class="row">
    <SensorPick
      id="set-type"
      v-model="r.set_type"
      class="pick"
      label="Sensor type set in the printer"
      :error="error"
    />
    <button v-if="link.connected.value" type="button" class="soft" @click="take">
      Take both from the printer
    </button>
  </div>
  <details :open="seen != null">
    <summary>What the printer would show with another sensor fitted</summary>
    <SensorPick id="fitted-type" v-model="fitted" label="Fitted" :but="r.set_type" sure />
    <WrongTypeDrawing v-if="curve" :points="curve" />
  </details>
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
</style>
