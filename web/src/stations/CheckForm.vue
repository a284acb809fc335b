<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { computed, nextTick, ref } from 'vue'

import type { Schemas } from '../api/client'
import { signalWord } from '../api/words'
import FactFields from '../ui/FactFields.vue'
import ReadingField from '../ui/ReadingField.vue'
import { useLink } from './useLink'
import { type Station, useForm } from './useStation'
import { usePen } from '../app/pen'
import StepTick from '../ui/StepTick.vue'
import OwnSteps from './OwnSteps.vue'

defineOptions({ inheritAttrs: false })
const { temperature } = usePen()
const props = defineProps<{ station: Station }>()
const ownSteps = ref(false)
const closed = computed(() => props.station.worktop.value?.line.state === 'closed')
const { r, f } = useForm<Schemas['CheckReadings']>(props)
const sheet = computed(() => props.station.worktop.value?.sheet)
/* What is blank is not complained of before the sheet is closed. */
const partProblems = computed(() =>
  partFields.value.flatMap((f) => props.station.errorOf(`fitted.${f.path}`) ?? []),
)
const partFields = computed(() => props.station.setUp.value?.part_fields ?? [])
interface Tick {
  id?: string
  state: 'open' | 'done' | 'skipped' | 'failed'
  reason: string
  at_c: number | null
}
/* A tick belongs to its step by name; those of older versions have none and count by their place. */
const places = computed(() => {
  const ticks = r.value.steps as Tick[]
  const named = ticks.some((t) => t.id)
  return (sheet.value?.steps ?? []).map((s, i) => (named ? ticks.findIndex((t) => t.id === s.id) : i))
})
const empty: Tick = { state: 'open', reason: '', at_c: null }
const tickOf = (i: number): Tick => (r.value.steps as Tick[])[places.value[i] ?? -1] ?? empty
/** The tick to write to; one is made where the list has grown since. */
function own(i: number): Tick {
  const at = places.value[i] ?? -1
  if (!r.value.steps[at]) r.value.steps.push({ ...empty, id: sheet.value?.steps[i]?.id ?? '' })
  return (r.value.steps as Tick[])[places.value[i] ?? -1] ?? empty
}
const reasonPath = (i: number) => `steps.${places.value[i]}.reason`
/** A tick on the box is done; taking it off opens the step again. */
function toggle(i: number) {
  const tick = own(i)
  tick.state = tick.state === 'done' ? 'open' : 'done'
  tick.reason = ''
  tick.at_c = tick.state === 'done' ? now() : null
}
/** Skipped, failed, or open again; the hand goes on to the reason, or back to the box. */
async function mark(i: number, state: Tick['state'], event: Event) {
  const step = (event.currentTarget as HTMLElement).closest('li')
  Object.assign(own(i), { ...empty, state })
  await nextTick()
  step?.querySelector<HTMLElement>(state === 'open' ? '[data-step]' : '.reason input')?.focus()
}
/** The nozzle as a connected printer reports it; a step's gate is judged by it. */
const link = useLink(props.station)
const now = () => link.nozzleC.value ?? null
const gateError = (i: number) =>
  tickOf(i).state === 'done' ? props.station.problems.value.find((e) => e.field === reasonPath(i)) : undefined
/** What a gate waits for, while the printer is connected and hot. */
const waits = (gate: Schemas['Gate']) => {
  const p = link.printer.value
  return p && ['cold', 'unplugged'].includes(gate.kind) && (p.nozzle === 'hot' || p.nozzle === 'warm')
    ? `wait: nozzle ${temperature(now())}. ${p.says}`
    : ''
}
function next(event: KeyboardEvent, i: number) {
  event.preventDefault()
  const tick = own(i)
  tick.state = 'done'
  tick.at_c = now()
  const boxes = [...document.querySelectorAll<HTMLElement>('[data-step]')]
  const fields = [...document.querySelectorAll<HTMLElement>('[data-reading]')]
  ;(boxes[i + 1] ?? fields[0] ?? document.querySelector<HTMLElement>('[data-close]'))?.focus()
}
</script>

<template>
  <ol v-if="sheet" class="steps">
    <li v-for="(s, i) in sheet.steps" :key="s.id" :class="tickOf(i).state">
      <label class="step">
        <StepTick
          :model-value="tickOf(i).state === 'done'"
          @update:model-value="toggle(i)"
          @next="(event) => next(event, i)"
        />
        <span>
          <span v-if="s.gate_says" class="chip">{{ s.gate_says }}</span>
          <span v-if="s.own" class="chip">this shop’s</span>
          <strong class="does">{{ s.act }}</strong>
          <span v-if="waits(s.gate) && tickOf(i).state === 'open'" class="gate">{{ waits(s.gate) }}</span>
          <span v-if="s.check" class="proof">{{ s.check }}</span>
          <span v-if="s.mistake" class="proof">Usual mistake: {{ s.mistake }}</span>
        </span>
      </label>
      <div class="other">
        <NButton
          v-if="tickOf(i).state === 'open'"
          quaternary
          class="plain"
          :aria-label="`Skip step ${i + 1}`"
          @click="(event: Event) => mark(i, 'skipped', event)"
        >
          skip
        </NButton>
        <NButton
          v-if="tickOf(i).state === 'open'"
          quaternary
          class="plain"
          :aria-label="`Step ${i + 1} failed`"
          @click="(event: Event) => mark(i, 'failed', event)"
        >
          failed
        </NButton>
        <NButton
          v-if="tickOf(i).state === 'skipped' || tickOf(i).state === 'failed'"
          quaternary
          class="plain"
          :aria-label="`Undo step ${i + 1}`"
          @click="(event: Event) => mark(i, 'open', event)"
        >
          undo
        </NButton>
      </div>
      <p v-if="s.caution" class="warn" :class="s.caution.signal" role="note">
        <strong>{{ signalWord[s.caution.signal] }}.</strong> {{ s.caution.text }}
      </p>
      <div v-if="gateError(i) || (tickOf(i).state === 'done' && tickOf(i).reason)" class="reason">
        <ReadingField
          v-model="own(i).reason"
          v-bind="f(reasonPath(i))"
          :error="gateError(i)"
          label="Why was it done outside its gate?"
          words
          small
        />
      </div>
      <div v-if="tickOf(i).state === 'skipped' || tickOf(i).state === 'failed'" class="reason">
        <ReadingField
          v-model="own(i).reason"
          v-bind="f(reasonPath(i))"
          :label="tickOf(i).state === 'skipped' ? 'Why is it skipped?' : 'What failed?'"
          words
          small
        />
      </div>
    </li>
  </ol>
  <div v-if="sheet && !closed">
    <NButton quaternary class="plain" @click="ownSteps = true">A step of this shop …</NButton>
    <OwnSteps
      v-model:shown="ownSteps"
      :list="station.worktop.value?.line.key ?? ''"
      :steps="sheet.steps"
      @done="station.relist()"
    />
  </div>
  <p v-if="sheet?.tools.length" class="quiet">Tools: {{ sheet.tools.join('; ') }}.</p>
  <div v-if="sheet?.counts" class="grid">
    <ReadingField v-model="r.counted_out" v-bind="f('counted_out')" label="Pieces taken out" small />
    <ReadingField v-model="r.counted_in" v-bind="f('counted_in')" label="Pieces put back" small />
    <ReadingField v-model="r.parked" v-bind="f('parked')" label="By kind, and where they lie" words small />
  </div>
  <section v-if="partFields.length" class="part">
    <h2>The new part</h2>
    <FactFields
      :model-value="r.fitted ?? {}"
      :fields="partFields"
      :problems="partProblems"
      under="fitted"
      @update:model-value="r.fitted = $event"
      @confirm="r.confirmed = [...r.confirmed, $event]"
    />
  </section>
  <div>
    <label for="check-note">What you saw; paste a settings report here</label>
    <NInput
      v-model:value="r.note"
      type="textarea"
      placeholder=""
      :rows="2"
      :input-props="{ id: 'check-note' }"
    />
  </div>
</template>

<style scoped>
.steps {
  list-style: none;
  margin: 0;
  padding: 0;
  border-top: 1px solid var(--rule);
}
li {
  display: grid;
  grid-template-columns: 1fr auto;
  border-bottom: 1px solid var(--rule);
  padding: 7px 0;
}
.step {
  display: grid;
  grid-template-columns: 26px 1fr;
  gap: 12px;
  min-height: 44px;
  align-items: start;
  color: var(--ink);
  font-size: 16px;
  margin: 0;
  cursor: pointer;
}
.step input {
  width: 24px;
  height: 24px;
  margin: 0;
  accent-color: var(--ink);
}
.chip {
  margin-right: 8px;
}
.gate {
  display: block;
  color: var(--stop);
  font-weight: 700;
  font-size: 15px;
}
.proof {
  display: block;
  color: var(--ink2);
  font-size: 15px;
}
.done .does,
.skipped .does {
  font-weight: 400;
}
.failed .does {
  color: var(--stop);
}
.other {
  display: flex;
}
.plain {
  font: inherit;
  font-size: 15px;
  background: none;
  border: 0;
  color: var(--ink2);
  text-decoration: underline;
  min-width: 48px;
  min-height: 44px;
  cursor: pointer;
}
.warn {
  grid-column: 1 / -1;
  margin-left: 38px;
  padding-left: 10px;
  border-left: 4px solid var(--caution);
  font-size: 15px;
}
.warn strong {
  color: var(--caution);
}
.warning,
.danger {
  border-left-color: var(--stop);
}
.warning strong,
.danger strong {
  color: var(--stop);
}
.part {
  margin-top: 6px;
}
.reason {
  grid-column: 1 / -1;
  margin: 4px 0 6px 38px;
}
</style>
