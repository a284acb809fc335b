<script setup lang="ts">
import { watch } from 'vue'

import WallDrawing from '../drawings/WallDrawing.vue'
import ChoiceRow from '../ui/ChoiceRow.vue'
import ReadingField from '../ui/ReadingField.vue'
import InstrumentPick from './InstrumentPick.vue'
import { type Station, useForm } from './useStation'

const props = defineProps<{ station: Station }>()
const { r, f, v, says } = useForm(props)
watch(
  () => r.value.method,
  (method: string) => {
    r.value.instrument = method === 'mass' ? 'balance' : 'caliper'
  },
)
function another() {
  const n = r.value.walls.length as number
  r.value.walls.push({ side: (Math.floor(n / 2) % 4) + 1, height: n % 2 ? 'high' : 'low', t_mm: '' })
}
</script>

<template>
  <ChoiceRow
    v-model="r.method"
    name="method"
    label="Found by"
    :options="[
      { value: 'walls', label: 'wall thickness' },
      { value: 'mass', label: 'mass' },
    ]"
  />
  <template v-if="r.method === 'walls'">
    <WallDrawing
      :walls="r.walls.map((w: { side: number }, i: number) => ({ side: w.side, mm: v(`walls.${i}.t_mm`) }))"
      :target="v('wall_mm')"
      :says="says('wall_mm')"
    />
    <div class="runs">
      <ReadingField
        v-for="(w, i) in r.walls"
        :key="i"
        v-model="w.t_mm"
        v-bind="f(`walls.${i}.t_mm`)"
        :label="`side ${w.side}, ${w.height}`"
        small
      />
    </div>
  </template>
  <div v-else class="runs">
    <ReadingField
      v-for="(_, i) in r.masses_g"
      :key="i"
      v-model="r.masses_g[i]"
      v-bind="f(`masses_g.${i}`)"
      :label="`Weighing ${Number(i) + 1}`"
      small
    />
  </div>
  <div class="grid">
    <ReadingField v-model="r.flow_set_percent" v-bind="f('flow_set_percent')" label="Flow set" small />
    <ReadingField
      v-if="r.method === 'walls'"
      v-model="r.wall_mm"
      v-bind="f('wall_mm')"
      label="Wall asked for"
      small
    />
    <template v-else>
      <ReadingField v-model="r.volume_mm3" v-bind="f('volume_mm3')" label="Volume asked for" small />
      <ReadingField v-model="r.density_g_cm3" v-bind="f('density_g_cm3')" label="Density" small />
    </template>
    <InstrumentPick
      v-model="r.instrument"
      :station="station"
      :kinds="r.method === 'mass' ? ['balance'] : ['caliper', 'micrometer']"
    />
    <button v-if="r.method === 'walls'" type="button" class="soft" @click="another">One more wall</button>
    <button v-else type="button" class="soft" @click="r.masses_g.push('')">One more weighing</button>
  </div>
</template>

<style scoped>
.runs {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  gap: 10px 12px;
  align-items: start;
}
</style>
