<script setup lang="ts">
import { watch } from 'vue'

import PatchDrawing from '../drawings/PatchDrawing.vue'
import ChoiceRow from '../ui/ChoiceRow.vue'
import ReadingField from '../ui/ReadingField.vue'
import InstrumentPick from './InstrumentPick.vue'
import { type Station, useForm } from './useStation'

const props = defineProps<{ station: Station }>()
const { r, f, v } = useForm(props)
const places = ['front left', 'front right', 'middle', 'back left', 'back right']
watch(
  () => r.value.method,
  (method: string) => {
    r.value.instrument = method === 'patch' ? 'caliper' : method
  },
)
</script>

<template>
  <ChoiceRow
    v-model="r.method"
    name="method"
    label="Found by"
    :options="[
      { value: 'patch', label: 'measured patches' },
      { value: 'paper', label: 'paper' },
      { value: 'feeler', label: 'feeler gauge' },
    ]"
  />
  <PatchDrawing
    :method="r.method"
    :commanded="v('commanded_mm')"
    :band="station.finding.value?.facts.bands[0]"
    :words="station.finding.value?.words.bands[0]"
  />
  <div v-if="r.method === 'patch'" class="runs">
    <ReadingField
      v-for="(p, i) in r.patches"
      :key="i"
      v-model="p.t_mm"
      v-bind="f(`patches.${i}.t_mm`)"
      :label="places[Number(i)] ?? `patch ${Number(i) + 1}`"
    />
    <InstrumentPick v-model="r.instrument" :station="station" :kinds="['caliper', 'micrometer']" />
    <button
      type="button"
      class="soft"
      @click="r.patches.push({ ...r.patches[r.patches.length % 5], t_mm: '' })"
    >
      One more patch
    </button>
  </div>
  <div v-else class="runs">
    <ReadingField
      v-for="(_, i) in r.touches_mm"
      :key="i"
      v-model="r.touches_mm[i]"
      v-bind="f(`touches_mm.${i}`)"
      :label="`Touch ${Number(i) + 1}, Z shown`"
    />
    <button type="button" class="soft" @click="r.touches_mm.push('')">One more touch</button>
  </div>
  <div class="grid">
    <ReadingField v-model="r.offset_set_mm" v-bind="f('offset_set_mm')" label="Z offset set" small />
    <ReadingField
      v-if="r.method === 'patch'"
      v-model="r.commanded_mm"
      v-bind="f('commanded_mm')"
      label="Commanded height"
      small
    />
  </div>
</template>

<style scoped>
.runs > button {
  align-self: end;
  min-height: 56px;
}
.runs {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(150px, 1fr));
  gap: 12px;
  align-items: start;
}
</style>
