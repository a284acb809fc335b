<script setup lang="ts">
import { computed } from 'vue'

import TightenDrawing from '../drawings/TightenDrawing.vue'
import RoutineBar from '../live/RoutineBar.vue'
import ChoiceRow from '../ui/ChoiceRow.vue'
import ReadingField from '../ui/ReadingField.vue'
import LinkHint from './LinkHint.vue'
import { useLink } from './useLink'
import { type Station, useForm } from './useStation'
import { usePen } from '../app/pen'

const { temperature } = usePen()
const props = defineProps<{ station: Station; job: number; stationKey: string }>()
const { r, f, v } = useForm(props)
const link = useLink(props.station)
/** The temperature that the work asks for. */
const target = computed(() => props.station.setUp.value?.target_c ?? null)
const now = computed(() => link.nozzleC.value)
async function heat() {
  if (target.value !== null)
    await link.run('warm', target.value, {}, { job: props.job, station: props.stationKey })
}
function take() {
  if (now.value != null) r.value.at_c = String(Math.round(now.value))
}
const yesNo = [
  { value: 'yes', label: 'yes' },
  { value: 'no', label: 'no' },
]
</script>

<template>
  <LinkHint
    :station="station"
    otherwise="Not connected: heat at the printer and read the temperature off its display."
  />
  <TightenDrawing :at="v('at_c')" :now="now ?? null" />
  <div v-if="link.connected.value" class="ways">
    <button
      type="button"
      class="soft"
      :disabled="link.busy.value || link.running.value !== null"
      @click="heat"
    >
      Heat to {{ temperature(target) }} and stay hot
    </button>
    <button type="button" class="soft" :disabled="now == null" @click="take">
      Tight now: take {{ now == null ? 'it' : temperature(now) }}
    </button>
  </div>
  <RoutineBar
    v-if="link.running.value && link.id.value"
    :printer="link.id.value"
    :routine="link.running.value"
  />
  <p v-if="link.failure.value" class="error" role="alert">{{ link.failure.value }}</p>
  <div class="grid">
    <ReadingField v-model="r.at_c" v-bind="f('at_c')" label="Nozzle when tightened" />
    <ReadingField v-model="r.torque_nm" v-bind="f('torque_nm')" label="Torque, if measured" />
    <ReadingField v-model="r.waited_min" v-bind="f('waited_min')" label="Waited after extruding" />
  </div>
  <div class="asks">
    <ChoiceRow
      v-model="r.block_held"
      name="block-held"
      label="Was the block held with a second tool?"
      :options="yesNo"
      :error="station.errorOf('block_held')?.message"
    />
    <ChoiceRow
      v-model="r.gap_left"
      name="gap-left"
      label="Is a gap left between hex and block?"
      :options="yesNo"
      :error="station.errorOf('gap_left')?.message"
    />
    <ChoiceRow
      v-model="r.seeps"
      name="seeps"
      label="Does plastic seep above the nozzle?"
      :options="yesNo"
      :error="station.errorOf('seeps')?.message"
    />
  </div>
</template>

<style scoped>
.ways {
  display: flex;
  gap: 10px;
}
.asks {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 14px;
}
</style>
