<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref } from 'vue'

import { answer, client, type Schemas } from '../api/client'
import TextLine from '../ui/TextLine.vue'
import PickList from '../ui/PickList.vue'
import WideTable from '../ui/WideTable.vue'

/* The chain's first table: what a replaced part does to each parameter in this shop. */
const props = defineProps<{ catalogue: Schemas['Catalogue']; cells: Schemas['CellOverride'][] }>()
const emit = defineEmits<{ kept: [call: Promise<unknown>] }>()
const replacement = ref<Schemas['Replacement']>('nozzle_same')
const parameter = ref<Schemas['Parameter']>('offset_z')
const strength = ref<'redo' | 'verify' | ''>('verify')
const reason = ref('')
const letter = { redo: 'R', verify: 'V' }
const own = (r: string, p: string) => props.cells.find((c) => c.replacement === r && c.parameter === p)
function shown(row: Schemas['ReplacementName'], i: number) {
  const p = props.catalogue.parameters[i]
  const mine = p ? own(row.id, p.id) : undefined
  const s = mine ? mine.strength : row.cells[i]
  return s ? letter[s] : '–'
}
function keep() {
  const body: Schemas['CellOverride'] = {
    replacement: replacement.value,
    parameter: parameter.value,
    strength: strength.value || null,
    reason: reason.value,
  }
  emit('kept', answer(client.PUT('/api/v1/house/cells', { body })))
}
const rows = computed(() =>
  props.catalogue.parts.flatMap((p) => p.replacements.map((r) => ({ value: r.id, label: r.label }))),
)
const columns = computed(() => props.catalogue.parameters.map((p) => ({ value: p.id, label: p.label })))
const strengths = [
  { value: 'redo', label: 'redo' },
  { value: 'verify', label: 'verify' },
  { value: '', label: 'leave untouched' },
]
</script>

<template>
  <h2 class="part">Which part shakes which parameter</h2>
  <p class="quiet">R redo, V verify, – untouched. Your shop’s own cells are framed.</p>
  <WideTable label="Table of parts and parameters">
    <thead>
      <tr>
        <th scope="col">Replaced</th>
        <th v-for="p in catalogue.parameters" :key="p.id" scope="col">{{ p.label }}</th>
      </tr>
    </thead>
    <tbody>
      <template v-for="part in catalogue.parts" :key="part.id">
        <tr v-for="row in part.replacements" :key="row.id">
          <th scope="row">{{ row.label }}</th>
          <td
            v-for="(p, i) in catalogue.parameters"
            :key="p.id"
            class="mono"
            :class="{ own: own(row.id, p.id) }"
            :title="own(row.id, p.id)?.reason"
          >
            {{ shown(row, i) }}
          </td>
        </tr>
      </template>
    </tbody>
  </WideTable>
  <div class="change">
    <PickList id="cell-row" v-model="replacement" label="When this is replaced" :options="rows" />
    <PickList id="cell-column" v-model="parameter" label="this parameter is" :options="columns" />
    <PickList id="cell-strength" v-model="strength" label="to" :options="strengths" />
    <TextLine id="cell-reason" v-model="reason" class="grow" label="because" />
    <NButton @click="keep">Keep</NButton>
  </div>
</template>

<style scoped>
.part {
  margin-top: 26px;
}
td {
  text-align: center;
}
.own {
  outline: 2px solid var(--accent);
  outline-offset: -2px;
}
.change {
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  align-items: end;
  margin: 12px 0 30px;
}
</style>
