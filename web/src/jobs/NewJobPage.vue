<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { useEventListener, useSessionStorage } from '@vueuse/core'
import { NButton, NCheckbox, NCheckboxGroup, NInput } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import TextLine from '../ui/TextLine.vue'

import { ServerError, answer, client, get, type Schemas } from '../api/client'
import { hours, numberOf } from '../api/words'
import CutawayDrawing from '../drawings/CutawayDrawing.vue'
import ChoiceRow from '../ui/ChoiceRow.vue'
import { dialogOf } from '../ui/onward'
import TravellerCard from '../ui/TravellerCard.vue'
import { usePen } from '../app/pen'

const { length } = usePen()

type Part = Schemas['Part']
type Begins = Schemas['Begins']
const route = useRoute()
const router = useRouter()
const queries = useQueryClient()
const printerId = Number(route.params.printer)
/* Kept in the browser until the job starts, so that a reload loses nothing. */
const draft = useSessionStorage(
  `new-job-${printerId}`,
  {
    begins: 'parts' as Begins['with'],
    parameters: [] as Schemas['Parameter'][],
    complaint: '',
    shows: 'no_complaint' as Schemas['Shows'],
    tried: '',
    customer: '',
    technician: '',
    replaced: [] as Schemas['Replacement'][],
    filaments: [] as number[],
    times: '',
  },
  { mergeDefaults: true },
)
/* From a case: the customer’s sentence comes along, unless something is typed already. */
if (typeof route.query.told === 'string' && !draft.value.complaint) draft.value.complaint = route.query.told
const { data: catalogue } = useQuery({ queryKey: ['catalogue'], queryFn: () => get('/api/v1/catalogue') })
const { data: filaments } = useQuery({ queryKey: ['filaments'], queryFn: () => get('/api/v1/filaments') })
const { data: page, error: loadError } = useQuery({
  queryKey: ['printer', printerId],
  queryFn: () => answer(client.GET('/api/v1/printers/{id}', { params: { path: { id: printerId } } })),
})
const error = ref('')
/* The only filament that this printer has values of is the one that is meant, until somebody says otherwise. */
const touched = useSessionStorage(`new-job-${printerId}-filaments`, false)
watch(
  page,
  (now) => {
    if (!now || touched.value) return
    touched.value = true
    const used = new Set(now.settings.flatMap((s) => s.filament_id ?? []))
    if (used.size === 1 && draft.value.filaments.length === 0) draft.value.filaments = [...used]
  },
  { immediate: true },
)
const partOf = computed(() => {
  const map = new Map<string, Part>()
  for (const p of catalogue.value?.parts ?? []) for (const r of p.replacements) map.set(r.id, p.id)
  return map
})
const chosen = computed(() =>
  draft.value.replaced.map((r) => partOf.value.get(r)).filter((p): p is Part => p !== undefined),
)
const variants = computed(() =>
  (catalogue.value?.parts ?? []).filter((p) => chosen.value.includes(p.id) && p.replacements.length > 1),
)
function toggle(part: Part) {
  const mine = (r: string) => partOf.value.get(r) === part
  if (draft.value.replaced.some(mine)) {
    draft.value.replaced = draft.value.replaced.filter((r) => !mine(r))
    return
  }
  const usual = catalogue.value?.parts.find((p) => p.id === part)?.replacements[0]
  if (usual) draft.value.replaced.push(usual.id)
}
const variantOf = (part: Part) => draft.value.replaced.find((r) => partOf.value.get(r) === part)
function setVariant(part: Part, id: Schemas['Replacement']) {
  draft.value.replaced = draft.value.replaced.map((r) => (partOf.value.get(r) === part ? id : r))
}
/* Numbers only leave the page as the server's JSON wants them; it checks them. */
const times = computed(() =>
  draft.value.times
    .split(/[;\s]+/)
    .filter((t) => t !== '')
    .map(numberOf),
)
/* Parts shown by another way to begin are no parts of this one. */
const takesParts = computed(() => ['parts', 'symptom'].includes(draft.value.begins))
const begins = computed<Begins>(() =>
  draft.value.begins === 'check_up'
    ? { with: 'check_up', parameters: draft.value.parameters }
    : { with: draft.value.begins },
)
const heading: Record<Begins['with'], (name: string) => string> = {
  parts: (n) => `What was replaced on ${n}?`,
  symptom: (n) => `What is wrong with ${n}?`,
  check_up: (n) => `What is to be looked after on ${n}?`,
  inspection: (n) => `Look ${n} over before it costs more than it is worth`,
  filament: (n) => `Which filament is new on ${n}?`,
}
const says: Record<Begins['with'], string> = {
  parts: 'Click the parts, or press their letter.',
  symptom: 'Nothing is replaced before its cause is known. Parts are added to the job when it is.',
  check_up: 'Each is verified; only what fails is redone. None chosen: all of them.',
  inspection: 'Parts, wiring and settings first, then what a careful buyer tries.',
  filament: 'What belongs to the machine is left alone.',
}
const body = computed<Schemas['NewJob']>(() => ({
  printer_id: printerId,
  begins: begins.value,
  complaint: draft.value.complaint,
  shows: draft.value.shows,
  tried: draft.value.tried,
  customer: draft.value.customer,
  technician: draft.value.technician,
  replaced: takesParts.value ? draft.value.replaced : [],
  filament_ids: draft.value.filaments,
  failure_times_min: times.value.filter((t) => t !== null),
}))
const planned = computed(() => draft.value.begins !== 'parts' || draft.value.replaced.length > 0)
const { data: plan } = useQuery({
  queryKey: ['plan', body],
  queryFn: () => answer(client.POST('/api/v1/plan', { body: body.value })),
  enabled: computed(() => planned.value),
  placeholderData: (old) => old,
})
const span = (a: string, b: string) => (a === b ? a : `${a} to ${b}`)
const added = ref({ name: '', material: '' })
async function addFilament() {
  error.value = ''
  try {
    const made = await answer(client.POST('/api/v1/filaments', { body: added.value }))
    await queries.invalidateQueries({ queryKey: ['filaments'] })
    if (!draft.value.filaments.includes(made.id)) draft.value.filaments.push(made.id)
    added.value = { name: '', material: '' }
  } catch (e) {
    if (e instanceof ServerError) error.value = e.problem.detail
  }
}
async function start() {
  error.value = ''
  if (times.value.includes(null)) {
    error.value = 'Type the minutes as numbers with spaces between, e.g. 55 70 62.'
    return
  }
  try {
    const made = await answer(client.POST('/api/v1/jobs', { body: body.value }))
    draft.value = {
      ...draft.value,
      complaint: '',
      tried: '',
      replaced: [],
      parameters: [],
      begins: 'parts',
      times: '',
    }
    await queries.invalidateQueries()
    void router.push(`/jobs/${made.id}`)
  } catch (e) {
    if (e instanceof ServerError) error.value = e.problem.detail
  }
}
useEventListener(document, 'keydown', (event: KeyboardEvent) => {
  if (event.key === 'Enter' && (event.ctrlKey || event.metaKey) && !dialogOf(event)) void start()
})
</script>

<template>
  <p v-if="loadError" class="page error">{{ loadError.message }}</p>
  <div v-else-if="page && catalogue" class="new">
    <section class="draw">
      <ChoiceRow
        v-model="draft.begins"
        name="begins"
        label="What does the job begin with?"
        :options="[
          { value: 'parts', label: 'replaced parts' },
          { value: 'symptom', label: 'a fault' },
          { value: 'check_up', label: 'check-up' },
          { value: 'inspection', label: 'bought-back machine' },
          { value: 'filament', label: 'new filament' },
        ]"
        class="variant"
      />
      <h1>{{ heading[draft.begins](page.printer.name) }}</h1>
      <p class="quiet">{{ says[draft.begins] }} {{ page.printer.kind }}</p>
      <NCheckboxGroup v-if="draft.begins === 'check_up'" v-model:value="draft.parameters" class="boxes">
        <NCheckbox v-for="p in catalogue.parameters" :key="p.id" :value="p.id" :label="p.label" />
      </NCheckboxGroup>
      <div
        v-if="draft.begins === 'parts'"
        class="picture drawing"
        tabindex="0"
        aria-label="Picture of the tool head"
      >
        <CutawayDrawing
          :direct="page.printer.facts.path === 'direct'"
          :all-metal="page.printer.facts.hot_end === 'all_metal'"
          :nozzle="length(page.printer.facts.nozzle_mm)"
          :chosen="chosen"
          @toggle="toggle"
        />
      </div>
      <div v-for="p in takesParts ? variants : []" :key="p.id" class="variant">
        <ChoiceRow
          :model-value="variantOf(p.id)"
          :name="`variant-${p.id}`"
          :label="`How does the new ${p.label} differ?`"
          :options="p.replacements.map((r) => ({ value: r.id, label: r.label }))"
          @update:model-value="(v) => v && setVariant(p.id, v)"
        />
      </div>
      <div class="words">
        <div class="wide">
          <label for="complaint">Complaint, in the customer’s words</label>
          <NInput
            v-model:value="draft.complaint"
            type="textarea"
            placeholder=""
            :rows="2"
            :input-props="{ id: 'complaint' }"
          />
        </div>
        <ChoiceRow
          v-model="draft.shows"
          class="wide"
          name="shows"
          label="When in a print does it show?"
          :options="[
            { value: 'no_complaint', label: draft.begins === 'symptom' ? 'not known' : 'no complaint' },
            { value: 'at_once', label: 'at once' },
            { value: 'after_a_while', label: 'after a while' },
            { value: 'at_random', label: 'at random' },
          ]"
        />
        <div v-if="draft.shows === 'after_a_while' || draft.shows === 'at_random'" class="wide">
          <TextLine
            id="times"
            v-model="draft.times"
            label="After how many minutes of printing? One number for each time it happened."
            decimal
          />
        </div>
        <fieldset class="wide">
          <legend>Filaments to work through</legend>
          <NCheckboxGroup v-model:value="draft.filaments" class="boxes">
            <NCheckbox v-for="f in filaments ?? []" :key="f.id" :value="f.id" :label="f.name" />
          </NCheckboxGroup>
          <div class="add">
            <TextLine
              id="filament-name"
              v-model="added.name"
              label="Another filament, by name"
              @enter="addFilament"
            />
            <TextLine id="filament-material" v-model="added.material" label="Material" @enter="addFilament" />
            <NButton @click="addFilament">Add filament</NButton>
          </div>
        </fieldset>
        <TextLine id="tried" v-model="draft.tried" label="Already tried" />
        <TextLine id="customer" v-model="draft.customer" label="Brought by" />
        <TextLine id="technician" v-model="draft.technician" label="Worked on by" />
      </div>
    </section>
    <aside class="card" aria-label="Traveller">
      <div class="head">
        <strong>{{ page.printer.name }}</strong> <span class="quiet">new job</span>
        <p v-if="draft.begins === 'parts'" class="quiet">
          {{ draft.replaced.length === 1 ? 'one part replaced' : `${draft.replaced.length} parts replaced` }}
        </p>
      </div>
      <div class="grow" tabindex="0" aria-label="Planned stations">
        <TravellerCard v-if="plan && planned" :card="plan" />
        <p v-else class="empty quiet">Choose a part: its stations appear here, each with its reason.</p>
      </div>
      <div class="foot">
        <p v-if="plan && planned">
          <strong>{{ hours(plan.at_least.hands_min) }} of hands</strong
          >{{
            hours(plan.at_most.hands_min) === hours(plan.at_least.hands_min)
              ? ''
              : `, ${hours(plan.at_most.hands_min)} at most`
          }}<br />
          {{ span(hours(plan.at_least.wait_min), hours(plan.at_most.wait_min)) }} waiting<br />
          {{ span(plan.at_least.filament_m.toFixed(0), plan.at_most.filament_m.toFixed(0)) }} m of filament
        </p>
        <p v-if="error" class="error" role="alert">{{ error }}</p>
        <NButton type="primary" @click="start"> Start job <kbd aria-hidden="true">Ctrl ↵</kbd> </NButton>
      </div>
    </aside>
  </div>
</template>

<style scoped>
.new {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 340px;
  height: 100%;
}
.draw {
  position: relative;
  padding: 20px 28px;
  overflow: auto;
}
.picture {
  height: 560px;
  margin: 6px 0;
}
.variant {
  margin-bottom: 12px;
}
.words {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 12px 16px;
}
.wide {
  grid-column: 1 / -1;
}
.add {
  display: grid;
  grid-template-columns: 2fr 1fr auto;
  gap: 12px;
  align-items: end;
}
.boxes :deep(.n-checkbox) {
  min-height: 44px;
  align-items: center;
}
.boxes {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 20px;
}
.card {
  background: var(--sheet);
  border-left: 2px dotted var(--ink2);
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.head,
.foot {
  padding: 14px 18px;
}
.head {
  border-bottom: 1px solid var(--rule);
}
.head strong {
  font-size: 18px;
}
.grow {
  position: relative;
  flex: 1;
  overflow: auto;
}
.empty {
  padding: 18px;
}
.foot {
  border-top: 1px solid var(--ink);
  display: flex;
  flex-direction: column;
  gap: 10px;
}
/* On a narrow screen it is one column that scrolls as a whole; the picture scrolls sideways by itself. */
@media (max-width: 800px) {
  .new {
    grid-template-columns: minmax(0, 1fr);
    height: auto;
  }
  .draw {
    padding: 14px 16px;
    overflow: visible;
  }
  .picture {
    overflow-x: auto;
  }
  .picture :deep(svg) {
    min-width: 620px;
  }
  .card {
    border-left: 0;
    border-top: 2px dotted var(--ink2);
  }
  .words {
    grid-template-columns: minmax(0, 1fr);
  }
  .add {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
