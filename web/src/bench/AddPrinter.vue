<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { NModal } from 'naive-ui'
import { ref } from 'vue'

import { ServerError, answer, client, type Schemas } from '../api/client'
import { numberOf } from '../api/words'
import ChoiceRow from '../ui/ChoiceRow.vue'
import ReadingField from '../ui/ReadingField.vue'
import SensorPick from '../ui/SensorPick.vue'

const shown = defineModel<boolean>('shown', { required: true })
const queries = useQueryClient()
const name = ref('')
const kind = ref('')
const path = ref<Schemas['FilamentPath']>('tube')
const hotEnd = ref<Schemas['HotEndKind']>('lined')
const size = ref({ x: '235', y: '235', z: '250', nozzle: '0.4', limit: '260', supply: '24', heater: '40' })
const sensor = ref('ntc_100k_3950')
const mass = ref<Schemas['HotEndMass']>('standard')
const nozzleOf = ref<Schemas['NozzleMaterial']>('brass')
const sizes = [
  ['x', 'Bed, width'],
  ['y', 'Bed, depth'],
  ['z', 'Height'],
  ['nozzle', 'Nozzle bore'],
  ['limit', 'Firmware limit'],
  ['supply', 'Supply'],
  ['heater', 'Heater, as marked'],
] as const
const failure = ref('')
async function add() {
  failure.value = ''
  const [x, y, z, nozzle, limit, supply, heater] = sizes.map(([key]) => numberOf(size.value[key]))
  const wrong = sizes.find(([key]) => numberOf(size.value[key]) === null)
  if (
    wrong ||
    x == null ||
    y == null ||
    z == null ||
    nozzle == null ||
    limit == null ||
    supply == null ||
    heater == null
  ) {
    failure.value = wrong ? `${wrong[1]}: “${size.value[wrong[0]]}” is not a number. Type it in digits.` : ''
    return
  }
  try {
    await answer(
      client.POST('/api/v1/printers', {
        body: {
          name: name.value,
          kind: kind.value,
          facts: {
            bed_x_mm: x,
            bed_y_mm: y,
            height_mm: z,
            nozzle_mm: nozzle,
            firmware_limit_c: limit,
            path: path.value,
            hot_end: hotEnd.value,
            nozzles: 1,
            gear: null,
            sensor: sensor.value,
            nozzle: nozzleOf.value,
            block: 'aluminium',
            mass: mass.value,
            supply_v: supply,
            heater_w: heater,
          },
        },
      }),
    )
    await queries.invalidateQueries({ queryKey: ['bench'] })
    shown.value = false
    name.value = ''
  } catch (e) {
    if (e instanceof ServerError) failure.value = e.problem.detail
  }
}
</script>

<template>
  <NModal v-model:show="shown">
    <div class="sheet add" role="dialog" aria-modal="true" aria-labelledby="add-title">
      <h1 id="add-title">Add a printer</h1>
      <div class="grid">
        <ReadingField v-model="name" path="name" label="Name" words small />
        <ReadingField v-model="kind" path="kind" label="Kind, in your words" words small />
        <ReadingField v-model="size.x" path="x" label="Bed, width" unit="mm" small />
        <ReadingField v-model="size.y" path="y" label="Bed, depth" unit="mm" small />
        <ReadingField v-model="size.z" path="z" label="Height" unit="mm" small />
        <ReadingField v-model="size.nozzle" path="nozzle" label="Nozzle bore" unit="mm" small />
        <ReadingField v-model="size.limit" path="limit" label="Firmware limit" unit="°C" small />
        <ReadingField v-model="size.supply" path="supply" label="Supply" unit="V" small />
        <ReadingField v-model="size.heater" path="heater" label="Heater, as marked" unit="W" small />
        <SensorPick id="add-sensor" v-model="sensor" label="Temperature sensor" />
        <div>
          <label for="add-mass">Heater block</label>
          <select id="add-mass" v-model="mass">
            <option value="light">small</option>
            <option value="standard">usual</option>
            <option value="heavy">large</option>
          </select>
        </div>
        <div>
          <label for="add-nozzle">Nozzle</label>
          <select id="add-nozzle" v-model="nozzleOf">
            <option value="brass">brass</option>
            <option value="copper">plated copper</option>
            <option value="steel">steel</option>
          </select>
        </div>
      </div>
      <ChoiceRow
        v-model="path"
        name="path"
        label="Filament path"
        :options="[
          { value: 'tube', label: 'tube' },
          { value: 'direct', label: 'direct drive' },
        ]"
      />
      <ChoiceRow
        v-model="hotEnd"
        name="hot-end"
        label="Hot end"
        :options="[
          { value: 'lined', label: 'lined' },
          { value: 'all_metal', label: 'all-metal' },
        ]"
      />
      <p v-if="failure" class="error" role="alert">{{ failure }}</p>
      <div class="ways">
        <button type="button" class="act" @click="add">Add</button>
        <button type="button" class="soft" @click="shown = false">Not now</button>
      </div>
    </div>
  </NModal>
</template>

<style scoped>
.add {
  width: 620px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.grid {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px 14px;
}
.grid select {
  width: 100%;
}
.ways {
  display: flex;
  gap: 10px;
}
</style>
