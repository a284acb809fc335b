<script setup lang="ts">
import { useEventListener, useSessionStorage } from '@vueuse/core'
import { NButton } from 'naive-ui'
import { computed, ref, watch } from 'vue'

import { numberOf } from '../api/words'
import WhereDrawing from '../drawings/WhereDrawing.vue'
import TextLine from '../ui/TextLine.vue'
import AnswerPicture, { PICTURED } from './AnswerPicture.vue'
import PrinterCheck from './PrinterCheck.vue'
import { no, unsure, yes, type CaseEntry, type CasePage, type Step } from './useCase'

/* One check, or one thing to mend: what to do, where, and its answer. */
const props = defineProps<{ page: CasePage; step: Step; why: string; failure: string; busy: boolean }>()
const emit = defineEmits<{
  tell: [entries: CaseEntry[], typed: { observation: string; value: string }[]]
  log: [trace: number, moved: boolean]
  pass: []
  job: [by: string]
}>()
const direct = computed(() => props.page.printer.facts.path === 'direct')
const allMetal = computed(() => props.page.printer.facts.hot_end === 'all_metal')
const open = computed(() => props.step.questions.filter((q) => q.answer == null))
const current = computed(() => open.value[0])
/* What is typed is there again after a reload, until it is told or another check is done. */
const kept = useSessionStorage(`case-${props.page.case.id}`, { step: '', typed: '', reason: '', minutes: '' })
watch(
  () => props.step.id,
  (step) => {
    if (kept.value.step !== step) kept.value = { step, typed: '', reason: '', minutes: '' }
  },
  { immediate: true },
)
const wrong = ref('')
const needsReason = computed(() => props.step.kind === 'remedy' && props.step.milder.length > 0)

function one(entry: CaseEntry) {
  emit('tell', [entry], [])
}
/* One of several at most: a yes to one is a no to the others. */
function choose(observation: string | null) {
  emit(
    'tell',
    props.step.questions.map((q) => (q.observation === observation ? yes(q.observation) : no(q.observation))),
    [],
  )
}
function nobodyKnows() {
  emit(
    'tell',
    open.value.map((q) => unsure(q.observation)),
    [],
  )
}
function number() {
  const q = current.value
  if (q && kept.value.typed.trim())
    emit('tell', [], [{ observation: q.observation, value: kept.value.typed }])
}
function tried(outcome: 'helped' | 'no_help' | 'came_back') {
  const { minutes, reason } = kept.value
  const m = numberOf(minutes)
  wrong.value =
    outcome === 'came_back' && minutes.trim() && m === null
      ? `“${minutes}” is no number of minutes. Type it like 55, or leave it blank.`
      : ''
  if (wrong.value) return
  emit(
    'tell',
    [
      {
        entry: 'tried',
        action: props.step.id,
        outcome,
        reason: reason.trim(),
        after_min: outcome === 'came_back' ? m : null,
      },
    ],
    [],
  )
}
/* 1, 2, 3 answer what is asked, from anywhere but a field. */
useEventListener(document, 'keydown', (event: KeyboardEvent) => {
  const at = event.target as HTMLElement
  if (at.matches('input, textarea') || at.closest('[role=dialog]') || props.busy) return
  if (event.ctrlKey || event.metaKey || event.altKey || document.querySelector('[role=dialog]')) return
  const n = Number(event.key)
  if (!Number.isInteger(n) || n < 1) return
  event.preventDefault()
  if (props.step.kind === 'remedy') {
    const outcome = (['helped', 'no_help', 'came_back'] as const)[n - 1]
    if (outcome) tried(outcome)
    return
  }
  if (props.step.one_of) {
    const qs = props.step.questions
    if (n <= qs.length) choose(qs[n - 1]?.observation ?? null)
    else if (n === qs.length + 1) choose(null)
    else if (n === qs.length + 2) nobodyKnows()
    return
  }
  const q = current.value
  if (!q || (q.unit && n < 3)) return
  if (n === 1) one(yes(q.observation))
  if (n === 2) one(no(q.observation))
  if (n === 3) one(unsure(q.observation))
})
const spoken = (answer: unknown) => (answer === 'unsure' ? 'nobody could tell' : String(answer))
</script>

<template>
  <section class="check" aria-label="What to do now">
    <p class="kind">
      {{ step.kind === 'check' ? 'Next check' : 'To mend' }}, {{ step.minutes }}
      {{ step.minutes === 1 ? 'minute' : 'minutes'
      }}<template v-if="step.price != null"> · {{ step.price.toFixed(2) }}</template>
    </p>
    <h1>{{ step.does }}</h1>
    <p v-if="step.cold" class="caution" role="note">
      <strong>Warning.</strong> Mains plug out, and cold. Mains wiring is for whoever is licensed for it.
    </p>
    <p v-else-if="step.heats" class="caution" role="note">
      <strong>Caution.</strong> Hot metal: gloves, and stay beside it.
    </p>
    <p v-if="step.can_break" class="caution" role="note">
      <strong>Caution.</strong> It can break a part: have a spare at hand before you begin.
    </p>
    <p class="how">{{ step.how }}</p>
    <div v-if="step.at" class="where">
      <WhereDrawing
        :part="step.at"
        :action="step.id"
        :direct="direct"
        :all-metal="allMetal"
        :label="step.at_label ?? ''"
      />
    </div>
    <PrinterCheck v-if="step.printer" :page="page" :step="step" @log="(t, moved) => emit('log', t, moved)" />

    <fieldset v-if="step.kind === 'check' && step.one_of" class="answers">
      <legend>What do you see?</legend>
      <div class="choices">
        <NButton
          v-for="(q, i) in step.questions"
          :key="q.observation"
          :disabled="busy"
          class="choice"
          @click="choose(q.observation)"
        >
          <AnswerPicture v-if="PICTURED.has(q.observation)" :observation="q.observation" yes />
          {{ q.says }} <kbd aria-hidden="true">{{ i + 1 }}</kbd>
        </NButton>
        <NButton :disabled="busy" class="choice" @click="choose(null)">
          <AnswerPicture
            v-if="PICTURED.has(step.questions[0]?.observation ?? '')"
            :observation="step.questions[0]?.observation ?? ''"
            :yes="false"
          />
          {{ step.one_of }} <kbd aria-hidden="true">{{ step.questions.length + 1 }}</kbd>
        </NButton>
        <NButton :disabled="busy" class="choice" @click="nobodyKnows">
          Can’t tell <kbd aria-hidden="true">{{ step.questions.length + 2 }}</kbd>
        </NButton>
      </div>
    </fieldset>

    <template v-else-if="step.kind === 'check'">
      <fieldset
        v-for="q in step.questions"
        :key="q.observation"
        class="answers"
        :class="{ later: q !== current && q.answer == null }"
      >
        <legend>{{ q.asks }}</legend>
        <p v-if="q.answer != null" class="given">
          {{ spoken(q.answer) }}{{ q.unit && q.answer !== 'unsure' ? ' (told)' : '' }}
        </p>
        <div v-else-if="q.unit" class="choices" data-first>
          <TextLine
            :id="`reading-${q.observation}`"
            v-model="kept.typed"
            class="number"
            :label="`Reading in ${q.unit}`"
            decimal
            @enter="number"
          />
          <NButton type="primary" :disabled="busy || !kept.typed.trim()" @click="number"
            >Take it <kbd aria-hidden="true">↵</kbd></NButton
          >
          <NButton :disabled="busy" @click="one(unsure(q.observation))">Can’t tell</NButton>
        </div>
        <div v-else class="choices">
          <NButton
            :type="q === current ? 'primary' : undefined"
            :disabled="busy"
            class="choice"
            :aria-label="`Yes: ${q.asks}`"
            @click="one(yes(q.observation))"
          >
            <AnswerPicture v-if="PICTURED.has(q.observation)" :observation="q.observation" yes />
            Yes <kbd v-if="q === current" aria-hidden="true">1</kbd>
          </NButton>
          <NButton
            :disabled="busy"
            class="choice"
            :aria-label="`No: ${q.asks}`"
            @click="one(no(q.observation))"
          >
            <AnswerPicture v-if="PICTURED.has(q.observation)" :observation="q.observation" :yes="false" />
            No <kbd v-if="q === current" aria-hidden="true">2</kbd>
          </NButton>
          <NButton
            :disabled="busy"
            class="choice"
            :aria-label="`Can’t tell: ${q.asks}`"
            @click="one(unsure(q.observation))"
          >
            Can’t tell <kbd v-if="q === current" aria-hidden="true">3</kbd>
          </NButton>
        </div>
      </fieldset>
    </template>

    <template v-else>
      <p v-if="step.wants_job">
        <NButton :disabled="busy" @click="emit('job', step.id)">
          {{ page.open_job ? `Put it on job ${page.open_job}` : 'Open a job for it' }}
        </NButton>
      </p>
      <fieldset class="answers">
        <legend>What did it do?</legend>
        <p v-if="needsReason" class="caution" role="note">
          <strong>Milder ways weren’t tried:</strong> {{ step.milder.join(' ') }}
        </p>
        <TextLine
          id="tried-reason"
          v-model="kept.reason"
          :label="needsReason ? 'Why the milder ways are left out' : 'What else is to be said; may be blank'"
        />
        <div class="choices">
          <NButton type="primary" :disabled="busy" @click="tried('helped')">
            It helped <kbd aria-hidden="true">1</kbd>
          </NButton>
          <NButton :disabled="busy" @click="tried('no_help')">
            No help <kbd aria-hidden="true">2</kbd>
          </NButton>
          <NButton :disabled="busy" @click="tried('came_back')">
            It came back <kbd aria-hidden="true">3</kbd>
          </NButton>
          <TextLine
            id="came-back-after"
            v-model="kept.minutes"
            class="number"
            label="after how many minutes, if seen"
            decimal
          />
        </div>
      </fieldset>
    </template>
    <p v-if="wrong || failure" class="error" role="alert">{{ wrong || failure }}</p>
    <p v-if="why" class="why"><strong>Why this one.</strong> {{ why }}</p>
    <p>
      <NButton quaternary class="plain" aria-haspopup="dialog" @click="emit('pass')">
        Can’t be done here, or do another …
      </NButton>
    </p>
  </section>
</template>

<style scoped>
.check {
  display: flex;
  flex-direction: column;
  gap: 10px;
}
.kind {
  color: var(--ink2);
  font-weight: 600;
}
.how {
  color: var(--ink2);
  max-width: 66ch;
}
.where {
  height: clamp(150px, 30vh, 270px);
}
.answers legend {
  font-size: 17px;
  color: var(--ink);
  font-weight: 600;
  margin-bottom: 5px;
}
.later legend {
  font-weight: 400;
  color: var(--ink2);
}
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: end;
}
.choice :deep(.n-button__content) {
  gap: 8px;
}
.choice {
  height: auto;
  min-height: 44px;
}
.number {
  width: 235px;
}
.given {
  font-weight: 700;
}
.caution {
  border-left: 4px solid var(--caution);
  padding-left: 10px;
}
.why {
  background: var(--sheet);
  border: 1px solid var(--rule);
  border-left: 8px solid var(--pass);
  padding: 10px 14px;
}
</style>
