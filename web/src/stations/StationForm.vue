<script setup lang="ts">
import { NCheckbox, NInput } from 'naive-ui'
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import ChoiceRow from '../ui/ChoiceRow.vue'
import ReadingField from '../ui/ReadingField.vue'
import InstrumentPick from './InstrumentPick.vue'
import { lookUp, putAt } from './changes'
import { type Station, useForm } from './useStation'

/* Any station, from its form: groups of fields as the core describes them. */
const props = defineProps<{ station: Station }>()
const { r, f } = useForm(props)
const groups = computed(() => props.station.form.value?.groups ?? [])
const pointer = (path: string) => `/${path.replaceAll('.', '/')}`
const at = (path: string) => lookUp(r.value, pointer(path)) as string | undefined
const text = (path: string) => String(at(path) ?? '')
function put(path: string, value: unknown) {
  putAt(r.value, pointer(path), value)
}
const options = (field: Schemas['Field']) =>
  field.kind === 'choice'
    ? field.options.map((o) => ({ value: o.id, label: o.label }))
    : [
        { value: 'yes', label: 'yes' },
        { value: 'no', label: 'no' },
      ]
</script>

<template>
  <component :is="g.folded ? 'details' : 'section'" v-for="(g, i) in groups" :key="i">
    <summary v-if="g.folded">{{ g.title }}</summary>
    <h2 v-else-if="g.title">{{ g.title }}</h2>
    <div class="grid">
      <template v-for="field in g.fields" :key="field.path">
        <ReadingField
          v-if="field.kind === 'number'"
          v-bind="f(field.path)"
          :model-value="at(field.path)"
          :label="field.label"
          small
          @update:model-value="(v) => put(field.path, v)"
        />
        <ChoiceRow
          v-else-if="field.kind === 'choice' || field.kind === 'yes_no'"
          class="wide"
          :model-value="text(field.path)"
          :name="field.path"
          :label="field.label"
          :options="options(field)"
          :error="station.errorOf(field.path)?.message"
          @update:model-value="(v) => put(field.path, v)"
        />
        <InstrumentPick
          v-else-if="field.kind === 'instrument'"
          :model-value="text(field.path)"
          :station="station"
          :kinds="field.kinds"
          @update:model-value="(v) => put(field.path, v)"
        />
        <NCheckbox
          v-else-if="field.kind === 'tick'"
          :checked="Boolean(at(field.path))"
          @update:checked="(v) => put(field.path, v)"
        >
          {{ field.label }}
        </NCheckbox>
        <div v-else-if="field.kind === 'text' || field.kind === 'report'" class="wide">
          <label :for="`f-${field.path}`">{{ field.label }}</label>
          <NInput
            :value="text(field.path)"
            type="textarea"
            placeholder=""
            :rows="field.kind === 'report' ? 8 : 2"
            :maxlength="field.most"
            :input-props="{ id: `f-${field.path}` }"
            @update:value="(v) => put(field.path, v)"
          />
          <p v-if="station.errorOf(field.path)" class="error">{{ station.errorOf(field.path)?.message }}</p>
        </div>
        <p v-if="field.hint" class="quiet wide">{{ field.hint }}</p>
      </template>
    </div>
  </component>
</template>

<style scoped>
.wide {
  grid-column: 1 / -1;
}
</style>
