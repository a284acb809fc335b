<script setup lang="ts">
import { computed } from 'vue'

import BedDrawing from '../drawings/BedDrawing.vue'
import ChoiceRow from '../ui/ChoiceRow.vue'
import ReadingField from '../ui/ReadingField.vue'
import InstrumentPick from './InstrumentPick.vue'
import { type Station, useForm } from './useStation'

const props = defineProps<{ station: Station }>()
const { r, f, v, says } = useForm(props)
const points = computed(() =>
  (r.value.points as { name: string; screw: boolean }[]).map((p, i) => ({
    name: p.name,
    screw: p.screw,
    x: v(`points.${i}.x_mm`),
    y: v(`points.${i}.y_mm`),
    says: says(`points.${i}.z_mm`),
  })),
)
/** At each screw, which way and how far, with its words; only where they are to be turned. */
const turns = computed(() => {
  const finding = props.station.finding.value
  const own = (finding?.facts.own ?? {}) as { screws?: { name: string; turns: number }[] }
  if (finding?.facts.verdict !== 'adjust') return []
  return (own.screws ?? []).map((s, i) => ({ ...s, says: finding.words.plain[i]?.value ?? '' }))
})
</script>

<template>
  <div class="two">
    <BedDrawing :points="points" :turns="turns" />
    <div class="fields">
      <ReadingField
        v-for="(p, i) in r.points"
        :key="i"
        v-model="p.z_mm"
        v-bind="f(`points.${i}.z_mm`)"
        :label="p.screw ? `${p.name}, screw` : p.name"
        small
      />
      <InstrumentPick
        v-model="r.instrument"
        :station="station"
        :kinds="['height_gauge', 'feeler', 'paper']"
      />
    </div>
  </div>
  <p v-if="station.errorOf('points')" class="error">{{ station.errorOf('points')?.message }}</p>
  <details>
    <summary>How this bed is built: reading, thread, springs, places</summary>
    <div class="choices">
      <ChoiceRow
        v-model="r.sense"
        name="sense"
        label="A larger reading means"
        :options="[
          { value: 'gap', label: 'gap wider, bed lower' },
          { value: 'bed_height', label: 'bed higher' },
        ]"
      />
      <ChoiceRow
        v-model="r.clockwise"
        name="clockwise"
        label="Clockwise, seen from above"
        :options="[
          { value: 'lowers', label: 'lowers the bed' },
          { value: 'raises', label: 'raises the bed' },
        ]"
      />
      <ChoiceRow
        v-model="r.thread"
        name="thread"
        label="Thread of the screws"
        :options="[
          { value: 'M3', label: 'M3' },
          { value: 'M4', label: 'M4' },
          { value: 'M5', label: 'M5' },
        ]"
      />
      <div class="grid">
        <template v-for="(p, i) in r.points" :key="`at${i}`">
          <ReadingField
            v-model="p.x_mm"
            v-bind="f(`points.${i}.x_mm`)"
            :label="`${p.name}, from left`"
            small
          />
          <ReadingField
            v-model="p.y_mm"
            v-bind="f(`points.${i}.y_mm`)"
            :label="`${p.name}, from front`"
            small
          />
        </template>
      </div>
    </div>
  </details>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: 1fr 220px;
  gap: 20px;
}
.fields,
.choices {
  display: flex;
  flex-direction: column;
  gap: 10px;
}
</style>
