<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import { toneOf } from '../api/words'
import WrongLink from '../wrong/WrongLink.vue'

const props = defineProps<{
  finding: Schemas['Finding'] | null
  problems: readonly Schemas['FieldError'][]
  failure: string
  closed: boolean
  /** The stop, where its cause can be looked for. */
  cause?: { job: number; printer: number; stop: string } | null
  /** Why the station was left out, where it was. */
  waived?: string | null
  busy: boolean
  /** Something was typed that this says nothing of yet. */
  looking: boolean
  /** Stopped since other settings don't hold: until its cause is mended and said, another one is no answer. */
  counted: boolean
}>()
const emit = defineEmits<{ close: []; reopen: []; mended: []; back: [station: string] }>()
const tone = computed(() => toneOf[props.finding?.facts.verdict ?? 'measure_again'])
const action = computed(
  () =>
    ({
      pass: 'Close station',
      adjust: props.finding?.facts.send_back ? 'Record, and go back' : 'Set and repeat',
      measure_again: 'Not settled yet',
      stop: 'Record the stop',
    })[props.finding?.facts.verdict ?? 'measure_again'],
)
const asks = computed(() => props.problems.filter((p) => p.code === 'missing' || p.code === 'count'))
/* A question stands where it is seen while one types; what is only missing still comes. */
const question = computed(() => asks.value.find((p) => p.code === 'count')?.message)
const wrong = computed(() => props.problems.filter((p) => !asks.value.includes(p)))
</script>

<template>
  <section
    class="card"
    :class="finding ? tone : 'idle'"
    aria-label="Verdict"
    aria-live="polite"
    :aria-busy="looking"
  >
    <div class="says">
      <template v-if="waived">
        <p class="head">Left out: {{ waived }}</p>
        <p>What rests on it is unproven.</p>
      </template>
      <template v-else-if="finding">
        <p class="head">{{ finding.words.headline }}</p>
        <p>{{ finding.words.sentence }}</p>
      </template>
      <template v-else-if="failure">
        <p class="head">{{ failure }}</p>
      </template>
      <template v-else-if="wrong.length">
        <p class="head">
          {{ wrong.length === 1 ? 'One reading needs a look.' : `${wrong.length} readings need a look.` }}
        </p>
        <p>{{ wrong[0]?.message }}</p>
      </template>
      <template v-else>
        <p class="head">{{ question ?? 'Waiting for readings.' }}</p>
        <p v-if="!question">{{ asks[0]?.message }}</p>
      </template>
      <p v-if="failure && finding" class="error">{{ failure }}</p>
    </div>
    <div class="do no-print">
      <NButton v-if="closed" @click="emit('reopen')">Reopen</NButton>
      <template v-else>
        <NButton
          type="primary"
          data-close
          :disabled="busy || !finding || finding.facts.verdict === 'measure_again'"
          @click="emit('close')"
        >
          {{ action }} <kbd aria-hidden="true">Ctrl ↵</kbd>
        </NButton>
        <NButton v-if="counted || finding?.facts.adjusts" @click="emit('mended')"
          >I found and mended it</NButton
        >
        <WrongLink v-if="cause" v-bind="cause" />
        <NButton
          v-if="finding?.facts.send_back && finding.facts.verdict === 'stop'"
          @click="emit('back', finding.facts.send_back)"
        >
          Go to that station
        </NButton>
      </template>
    </div>
  </section>
</template>

<style scoped>
.card {
  display: flex;
  gap: 20px;
  /* Anchored below: the button stays where it is when the words above it come or go. */
  align-items: end;
  justify-content: space-between;
  background: var(--sheet);
  border: 1px solid var(--ink);
  border-left-width: 10px;
  padding: 13px 16px;
}
.head {
  font-size: 19px;
  font-weight: 700;
  line-height: 1.25;
  margin-bottom: 2px;
}
.says {
  align-self: center;
}
.idle {
  border-color: var(--rule);
}
.pass {
  border-left-color: var(--pass);
}
.caution {
  border-left-color: var(--caution);
}
.stop {
  border-left-color: var(--stop);
}
.do {
  display: flex;
  flex-direction: column;
  gap: 8px;
  flex: none;
}
.do button {
  white-space: nowrap;
  justify-content: center;
}
@media (max-width: 600px) {
  .card {
    flex-direction: column;
    align-items: stretch;
    gap: 8px;
    padding: 8px 12px;
  }
}
</style>
