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
/* Told when the form has gone, so that the hand can go on at the new printer. */
const emit = defineEmits<{ added: [id: number] }>()
const added = ref<number | null>(null)
function left() {
  if (added.value !== null) emit('added', added.value)
  added.value = null
}
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
/* A new printer in three short steps; one that is there all at once. */
const STEPS = [
  { title: 'the machine', groups: ['frame', 'bed', 'bed surface', 'bed probe'] },
  {
    title: 'the hot end',
    groups: ['nozzle', 'heat break', 'heater block', 'heater cartridge', 'temperature sensor'],
  },
  { title: 'drive and board', groups: [] },
]
const step = ref(0)
const stepOf = (group: string) => {
  const named = STEPS.findIndex((s) => s.groups.includes(group))
  return named < 0 ? STEPS.length - 1 : named
}
const last = computed(() => props.page !== undefined || step.value === STEPS.length - 1)
const asked = computed(() =>
  props.page ? (fields.value ?? []) : (fields.value ?? []).filter((f) => stepOf(f.group) === step.value),
)
async function go(to: number) {
  step.value = to
  await nextTick()
  form.value?.querySelector<HTMLElement>('[data-reading], [role=combobox]')?.focus()
}
const title = computed(() => (props.page ? `What is known of ${props.page.printer.name}` : 'Add a printer'))
watch(
  shown,
  (open) => {
    if (!open) return
    problem.value = null
    confirmed.value = []
    step.value = 0
    if (!props.page) return
    name.value = props.page.printer.name
    kind.value = props.page.printer.kind
    typed.value = { ...props.page.typed }
  },
  { immediate: true },
)
const of = (field: string) => problem.value?.errors.find((e) => e.field === field)
/* A message that no field shows stands below. */
const loose = computed(() => {
  const p = problem.value
  return !p ? '' : p.errors.length > 0 ? `${p.errors.length} to put right above.` : p.detail
})
async function save() {
  problem.value = null
  const body = { name: name.value, kind: kind.value, fields: typed.value, confirmed: confirmed.value }
  try {
    if (props.page)
      await answer(
        client.PUT('/api/v1/printers/{id}', { params: { path: { id: props.page.printer.id } }, body }),
      )
    else added.value = (await answer(client.POST('/api/v1/printers/typed', { body }))).id
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
    const wrong = e.problem.errors[0]?.field ?? ''
    const field = fields.value?.find((f) => f.path === wrong)
    if (field) step.value = stepOf(field.group)
    else if (['name', 'kind'].includes(wrong)) step.value = 0
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
  <NModal v-model:show="shown" @after-leave="left">
    <div ref="form" class="sheet form" role="dialog" aria-modal="true" aria-labelledby="printer-title">
      <h1 id="printer-title">
        {{ title
        }}<template v-if="!page">: {{ step + 1 }} of {{ STEPS.length }}, {{ STEPS[step]?.title }}</template>
      </h1>
      <p class="quiet">
        Leave blank what you don’t know: the printer is then taken for the most careful one, and stations ask
        when they need it.
      </p>
      <div v-if="page || step === 0" class="two">
        <ReadingField v-model="name" path="name" label="Name" words small :error="of('name')" />
        <ReadingField
          v-model="kind"
          path="kind"
          label="Kind, in your words"
          words
          small
          :error="of('kind')"
        />
      </div>
      <div class="all">
        <FactFields
          v-model="typed"
          :fields="asked"
          :problems="problem?.errors ?? []"
          grouped
          @confirm="confirm"
        />
      </div>
      <p v-if="loose" class="error" role="alert">{{ loose }}</p>
      <div class="ways">
        <NButton v-if="!last" type="primary" data-close @click="go(step + 1)">Go on</NButton>
        <NButton :type="last ? 'primary' : 'default'" :data-close="last ? '' : undefined" @click="save">
          {{ page ? 'Keep' : last ? 'Add' : 'Add, the rest is not known' }}
        </NButton>
        <NButton v-if="!page && step > 0" @click="go(step - 1)">Back</NButton>
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
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 0 24px;
  align-content: start;
  overflow-y: auto;
  min-height: 120px;
  padding-right: 8px;
}
@media (max-width: 800px) {
  .two,
  .all {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
