<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { NButton, NModal } from 'naive-ui'
import { computed, nextTick, ref, watch } from 'vue'

import { ServerError, answer, client, get, type Schemas } from '../api/client'
import FactFields from '../ui/FactFields.vue'
import ReadingField from '../ui/ReadingField.vue'

/* Adds a printer, or puts right what is known of one. */
const shown = defineModel<boolean>('shown', { required: true })
const props = defineProps<{ page?: Schemas['PrinterPage'] }>()
const queries = useQueryClient()
const { data: fields } = useQuery({
  queryKey: ['printer-fields'],
  queryFn: () => get('/api/v1/printer-fields'),
  staleTime: Infinity,
})
const form = ref<HTMLElement>()
const name = ref('')
const kind = ref('')
const typed = ref<Record<string, Schemas['Entry']>>({})
const confirmed = ref<string[]>([])
const problem = ref<Schemas['Problem'] | null>(null)
const title = computed(() => (props.page ? `What is known of ${props.page.printer.name}` : 'Add a printer'))
watch(
  shown,
  (open) => {
    if (!open) return
    problem.value = null
    confirmed.value = []
    if (!props.page) return
    name.value = props.page.printer.name
    kind.value = props.page.printer.kind
    typed.value = { ...props.page.typed }
  },
  { immediate: true },
)
/* A message that no field shows stands below. */
const loose = computed(() => {
  const p = problem.value
  if (!p) return ''
  return p.errors.length > 0
    ? p.errors.some((e) => ['name', 'kind'].includes(e.field))
      ? p.detail
      : `${p.errors.length} to put right above.`
    : p.detail
})
async function save() {
  problem.value = null
  const body = { name: name.value, kind: kind.value, fields: typed.value, confirmed: confirmed.value }
  try {
    if (props.page)
      await answer(
        client.PUT('/api/v1/printers/{id}', { params: { path: { id: props.page.printer.id } }, body }),
      )
    else await answer(client.POST('/api/v1/printers/typed', { body }))
    await queries.invalidateQueries({ queryKey: ['bench'] })
    await queries.invalidateQueries({ queryKey: ['printer'] })
    shown.value = false
    if (!props.page) {
      name.value = ''
      typed.value = {}
    }
  } catch (e) {
    if (!(e instanceof ServerError)) return
    problem.value = e.problem
    // The form is longer than the screen: the hand goes to what is to be put right.
    await nextTick()
    form.value?.querySelector<HTMLElement>('[aria-invalid=true]')?.focus()
  }
}
function confirm(path: string) {
  confirmed.value = [...confirmed.value, path]
  void save()
}
</script>

<template>
  <NModal v-model:show="shown">
    <div ref="form" class="sheet form" role="dialog" aria-modal="true" aria-labelledby="printer-title">
      <h1 id="printer-title">{{ title }}</h1>
      <p class="quiet">
        Leave blank what you don’t know: the printer is then taken for the most careful one, and stations ask
        when they need it.
      </p>
      <div class="two">
        <ReadingField v-model="name" path="name" label="Name" words small />
        <ReadingField v-model="kind" path="kind" label="Kind, in your words" words small />
      </div>
      <div class="all">
        <FactFields
          v-model="typed"
          :fields="fields ?? []"
          :problems="problem?.errors ?? []"
          grouped
          @confirm="confirm"
        />
      </div>
      <p v-if="loose" class="error" role="alert">{{ loose }}</p>
      <div class="ways">
        <NButton type="primary" @click="save">{{ page ? 'Keep' : 'Add' }}</NButton>
        <NButton @click="shown = false">Not now</NButton>
      </div>
    </div>
  </NModal>
</template>

<style scoped>
.form {
  width: min(920px, 96vw);
  /* The strip of heat stays free below. */
  max-height: calc(100vh - 130px);
  margin-bottom: 110px;
  display: flex;
  flex-direction: column;
  gap: 10px;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px 18px;
}
.all {
  overflow-y: auto;
  min-height: 120px;
  padding-right: 8px;
}
.ways {
  display: flex;
  gap: 10px;
}
@media (max-width: 800px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
