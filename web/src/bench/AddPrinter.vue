<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { NModal } from 'naive-ui'
import { ref } from 'vue'

import { ServerError, answer, client, type Schemas } from '../api/client'
import { numberOf } from '../api/words'
import ChoiceRow from '../ui/ChoiceRow.vue'
import ReadingField from '../ui/ReadingField.vue'

const shown = defineModel<boolean>('shown', { required: true })
const queries = useQueryClient()
const name = ref('')
const kind = ref('')
const path = ref<Schemas['FilamentPath']>('tube')
const hotEnd = ref<Schemas['HotEndKind']>('lined')
const size = ref({ x: '235', y: '235', z: '250', nozzle: '0.4', limit: '260' })
const sizes = [
  ['x', 'Bed, width'],
  ['y', 'Bed, depth'],
  ['z', 'Height'],
  ['nozzle', 'Nozzle bore'],
  ['limit', 'Firmware limit'],
] as const
const failure = ref('')
async function add() {
  failure.value = ''
  const [x, y, z, nozzle, limit] = sizes.map(([key]) => numberOf(size.value[key]))
  const wrong = sizes.find(([key]) => numberOf(size.value[key]) === null)
  if (wrong || x == null || y == null || z == null || nozzle == null || limit == null) {
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
.ways {
  display: flex;
  gap: 10px;
}
</style>
