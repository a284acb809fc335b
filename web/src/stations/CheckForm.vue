<script setup lang="ts">
import { NInput } from 'naive-ui'
import { computed } from 'vue'

import { signalWord } from '../api/words'
import FactFields from '../ui/FactFields.vue'
import ReadingField from '../ui/ReadingField.vue'
import { useLink } from './useLink'
import { type Station, useForm } from './useStation'

defineOptions({ inheritAttrs: false })
const props = defineProps<{ station: Station }>()
const { r, f } = useForm(props)
const sheet = computed(() => props.station.worktop.value?.sheet)
const partFields = computed(() => props.station.setUp.value?.part_fields ?? [])
/** A tick on the box is done; taking it off opens the step again. */
function toggle(i: number) {
  const tick = r.value.steps[i]
  tick.state = tick.state === 'done' ? 'open' : 'done'
  tick.reason = ''
  tick.at_c = tick.state === 'done' ? now() : null
}
/** The nozzle as a connected printer reports it; a step's gate is judged by it. */
const link = useLink(props.station)
const now = () => link.nozzleC.value ?? null
const gateError = (i: number) =>
  r.value.steps[i].state === 'done'
    ? props.station.problems.value.find((e) => e.field === `steps.${i}.reason`)
    : undefined
/** What a gate waits for, while the printer is connected and hot. */
const waits = (gate: string) => {
  const p = link.printer.value
  return p &&
    (gate.includes('cold') || gate.includes('unplugged')) &&
    (p.nozzle === 'hot' || p.nozzle === 'warm')
    ? `wait: nozzle ${now()?.toFixed(0)} °C. ${p.says}`
    : ''
}
function next(event: KeyboardEvent, i: number) {
  event.preventDefault()
  r.value.steps[i].state = 'done'
  r.value.steps[i].at_c = now()
  const boxes = [...document.querySelectorAll<HTMLElement>('[data-step]')]
  const fields = [...document.querySelectorAll<HTMLElement>('[data-reading]')]
  ;(boxes[i + 1] ?? fields[0] ?? document.querySelector<HTMLElement>('[data-close]'))?.focus()
}
</script>

<template>
  <ol v-if="sheet" class="steps">
    <li v-for="(s, i) in sheet.steps" :key="i" :class="r.steps[i].state">
      <label class="step">
        <input
          type="checkbox"
          data-step
          :checked="r.steps[i].state === 'done'"
          @change="toggle(Number(i))"
          @keydown.enter.exact="next($event, Number(i))"
        />
        <span>
          <span v-if="s.gate" class="chip">{{ s.gate }}</span>
          <strong class="does">{{ s.act }}</strong>
          <span v-if="waits(s.gate) && r.steps[i].state === 'open'" class="gate">{{ waits(s.gate) }}</span>
          <span v-if="s.check" class="proof">{{ s.check }}</span>
        </span>
      </label>
      <div class="other">
        <button
          v-if="r.steps[i].state === 'open'"
          type="button"
          class="plain"
          :aria-label="`Skip step ${i + 1}`"
          @click="r.steps[i].state = 'skipped'"
        >
          skip
        </button>
        <button
          v-if="r.steps[i].state === 'open'"
          type="button"
          class="plain"
          :aria-label="`Step ${i + 1} failed`"
          @click="r.steps[i].state = 'failed'"
        >
          failed
        </button>
        <button
          v-if="r.steps[i].state === 'skipped' || r.steps[i].state === 'failed'"
          type="button"
          class="plain"
          :aria-label="`Undo step ${i + 1}`"
          @click="r.steps[i] = { state: 'open', reason: '', at_c: null }"
        >
          undo
        </button>
      </div>
      <p v-if="s.caution" class="warn" :class="s.caution.signal" role="note">
        <strong>{{ signalWord[s.caution.signal] }}.</strong> {{ s.caution.text }}
      </p>
      <div v-if="gateError(Number(i)) || (r.steps[i].state === 'done' && r.steps[i].reason)" class="reason">
        <ReadingField
          v-model="r.steps[i].reason"
          v-bind="f(`steps.${i}.reason`)"
          :error="gateError(Number(i))"
          label="Why was it done outside its gate?"
          words
          small
        />
      </div>
      <div v-if="r.steps[i].state === 'skipped' || r.steps[i].state === 'failed'" class="reason">
        <ReadingField
          v-model="r.steps[i].reason"
          v-bind="f(`steps.${i}.reason`)"
          :label="r.steps[i].state === 'skipped' ? 'Why is it skipped?' : 'What failed?'"
          words
          small
        />
      </div>
    </li>
  </ol>
  <div v-if="sheet?.counts" class="grid">
    <ReadingField v-model="r.counted_out" v-bind="f('counted_out')" label="Pieces taken out" small />
    <ReadingField v-model="r.counted_in" v-bind="f('counted_in')" label="Pieces put back" small />
  </div>
  <section v-if="partFields.length" class="part">
    <h2>The new part</h2>
    <FactFields
      :model-value="r.fitted ?? {}"
      :fields="partFields"
      :problems="station.problems.value"
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
