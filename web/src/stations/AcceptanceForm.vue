<script setup lang="ts">
import CubeDrawing from '../drawings/CubeDrawing.vue'
import StringsPick from '../drawings/StringsPick.vue'
import ChoiceRow from '../ui/ChoiceRow.vue'
import ReadingField from '../ui/ReadingField.vue'
import InstrumentPick from './InstrumentPick.vue'
import { type Station, useForm } from './useStation'

const props = defineProps<{ station: Station }>()
const { r, f, says } = useForm(props)
const yesNo = [
  { value: 'yes', label: 'yes' },
  { value: 'no', label: 'no' },
]
const questions = [
  ['first_layer_good', 'Is the first layer even and whole?'],
  ['walls_even', 'Are the walls even along the height?'],
  ['clicking', 'Did the drive click or grind?'],
  ['came_back', 'Did the complaint come back?'],
] as const
</script>

<template>
  <div class="two">
    <CubeDrawing :edge="says('edge_mm')" />
    <div class="axes">
      <template v-for="axis in ['x', 'y', 'z']" :key="axis">
        <ReadingField
          v-for="(_, i) in r[`${axis}_mm`]"
          :key="`${axis}${i}`"
          v-model="r[`${axis}_mm`][i]"
          v-bind="f(`${axis}_mm.${i}`)"
          :label="`${axis.toUpperCase()} ${Number(i) + 1}`"
          small
        />
      </template>
    </div>
  </div>
  <StringsPick v-model="r.strings" :error="station.errorOf('strings')?.message" />
  <div class="answers">
    <ChoiceRow
      v-for="[key, label] in questions"
      :key="key"
      v-model="r[key]"
      :name="key"
      :label="label"
      :options="yesNo"
      :error="station.errorOf(key)?.message"
    />
  </div>
  <div class="grid">
    <ReadingField v-model="r.clean_run_min" v-bind="f('clean_run_min')" label="Ran clean for" small />
    <ReadingField v-model="r.edge_mm" v-bind="f('edge_mm')" label="Edge asked for" small />
    <InstrumentPick v-model="r.instrument" :station="station" :kinds="['caliper', 'micrometer']" />
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: 200px 1fr;
  gap: 20px;
  align-items: center;
}
.axes {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 8px 12px;
}
.answers {
  display: grid;
  grid-template-columns: repeat(2, 1fr);
  gap: 10px 16px;
}
</style>
