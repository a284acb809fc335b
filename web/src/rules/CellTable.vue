<script setup lang="ts">
import { ref } from 'vue'

import { answer, client, type Schemas } from '../api/client'

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
</script>

<template>
  <h2 class="part">Which part shakes which parameter</h2>
  <p class="quiet">R redo, V verify, – untouched. Your shop's own cells are framed.</p>
  <div class="scroll" tabindex="0" aria-label="Table of parts and parameters">
    <table>
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
    </table>
  </div>
  <div class="change">
    <div>
      <label for="cell-row">When this is replaced</label>
      <select id="cell-row" v-model="replacement">
        <template v-for="part in catalogue.parts" :key="part.id">
          <option v-for="row in part.replacements" :key="row.id" :value="row.id">{{ row.label }}</option>
        </template>
      </select>
    </div>
    <div>
      <label for="cell-column">this parameter is</label>
      <select id="cell-column" v-model="parameter">
        <option v-for="p in catalogue.parameters" :key="p.id" :value="p.id">{{ p.label }}</option>
      </select>
    </div>
    <div>
      <label for="cell-strength">to</label>
      <select id="cell-strength" v-model="strength">
        <option value="redo">redo</option>
        <option value="verify">verify</option>
        <option value="">leave untouched</option>
      </select>
    </div>
    <div class="grow">
      <label for="cell-reason">because</label>
      <input id="cell-reason" v-model="reason" type="text" />
    </div>
    <button type="button" class="soft" @click="keep">Keep</button>
  </div>
</template>

<style scoped>
.part {
  margin-top: 26px;
}
.scroll {
  overflow: auto;
}
table {
  border-collapse: collapse;
  font-size: 14px;
}
th {
  text-align: left;
  font-weight: 600;
}
thead th {
  color: var(--ink2);
  vertical-align: bottom;
  padding-right: 8px;
}
td {
  text-align: center;
}
td,
th {
  border-bottom: 1px solid var(--rule);
  padding: 4px 6px;
}
.own {
  outline: 2px solid var(--accent);
  outline-offset: -2px;
}
.change {
  display: flex;
  gap: 12px;
  align-items: end;
  margin: 12px 0 30px;
}
.grow {
  flex: 1;
}
.grow input {
  width: 100%;
}
</style>
