<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { NButton, NModal } from 'naive-ui'
import { computed, ref, watch } from 'vue'

import { ServerError, answer, client, get, type Schemas } from '../api/client'
import PickList from '../ui/PickList.vue'
import ReadingField from '../ui/ReadingField.vue'

/* Notes a value by hand: read off the printer, or brought along. The old one stays in its history. */
const shown = defineModel<boolean>('shown', { required: true })
const props = defineProps<{ page: Schemas['PrinterPage']; first?: Schemas['SettingShown'] }>()
const queries = useQueryClient()
const { data: catalogue } = useQuery({ queryKey: ['catalogue'], queryFn: () => get('/api/v1/catalogue') })
const parameter = ref('')
const filament = ref('')
const value = ref<Schemas['Entry']>('')
const problem = ref<Schemas['Problem'] | null>(null)
watch(
  shown,
  (open) => {
    if (!open) return
    problem.value = null
    parameter.value = props.first?.parameter ?? ''
    filament.value = props.first?.filament_id ? String(props.first.filament_id) : ''
    value.value = ''
  },
  { immediate: true },
)
const spec = computed(() => catalogue.value?.parameters.find((p) => p.id === parameter.value))
const perFilament = computed(() => spec.value?.per_filament ?? false)
/* The hand begins at what is asked first. */
const form = ref<HTMLElement>()
const begin = () =>
  form.value?.querySelector<HTMLElement>(props.first ? '[data-reading]' : '[role=combobox]')?.focus()
const error = (field: string) => problem.value?.errors.find((e) => e.field === field)
async function keep() {
  problem.value = null
  if (!spec.value) return
  try {
    await answer(
      client.POST('/api/v1/printers/{id}/values', {
        params: { path: { id: props.page.printer.id } },
        body: {
          parameter: spec.value.id,
          filament_id: perFilament.value && filament.value ? Number(filament.value) : null,
          value: value.value,
        },
      }),
    )
    await queries.invalidateQueries({ queryKey: ['printer'] })
    shown.value = false
  } catch (e) {
    if (e instanceof ServerError) problem.value = e.problem
  }
}
</script>

<template>
  <NModal v-model:show="shown" @after-enter="begin">
    <!-- The trap of the library holds the hand only in a div. -->
    <div ref="form" class="sheet value" role="dialog" aria-modal="true" aria-labelledby="value-title">
      <h1 id="value-title">Note a value of {{ page.printer.name }}</h1>
      <p class="quiet">As read off the printer or its papers. What stood there stays in the history.</p>
      <PickList
        id="value-parameter"
        v-model="parameter"
        label="Which"
        :options="(catalogue?.parameters ?? []).map((p) => ({ value: p.id, label: p.label }))"
      />
      <PickList
        v-if="perFilament"
        id="value-filament"
        v-model="filament"
        label="Of which filament"
        :options="page.filaments.map((f) => ({ value: String(f.id), label: f.name }))"
        :error="error('filament_id')?.message"
      />
      <ReadingField
        v-model="value"
        path="value"
        label="Value"
        :unit="spec?.symbol"
        :kept="spec?.unit"
        :error="error('value')"
        :words="!spec?.unit"
        small
      />
      <p v-if="problem && problem.errors.length === 0" class="error" role="alert">{{ problem.detail }}</p>
      <div class="ways">
        <NButton type="primary" data-close :disabled="!spec" @click="keep">Note it</NButton>
        <NButton @click="shown = false">Not now</NButton>
      </div>
    </div>
  </NModal>
</template>

<style scoped>
.value {
  width: min(460px, 94vw);
  display: grid;
  gap: 12px;
}
</style>
