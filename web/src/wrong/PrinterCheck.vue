<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref } from 'vue'

import { ServerError, answer, client } from '../api/client'
import { numberOf } from '../api/words'
import { usePen } from '../app/pen'
import RoutineBar from '../live/RoutineBar.vue'
import { useLivePrinter } from '../live/useLive'
import TextLine from '../ui/TextLine.vue'
import type { CasePage, Step } from './useCase'

/* What the connected printer does of a check by itself. */
const props = defineProps<{ page: CasePage; step: Step }>()
const emit = defineEmits<{ log: [trace: number, moved: boolean] }>()
const id = computed(() => props.page.printer.id)
const { printer, connected, running, nozzleC } = useLivePrinter(id)
const { temperature } = usePen()
const failure = ref('')
const number = ref<number | null>(null)
const target = ref(props.step.printer === 'watch' ? '60' : '200')
/* Fed by the printer: warm first, and the guard refuses a cold one. */
const fed = ref(false)
async function feed() {
  failure.value = ''
  fed.value = false
  try {
    for (const line of ['M83', `G1 E${props.step.feed_mm ?? 0} F120`])
      await answer(
        client.POST('/api/v1/printers/{id}/send', {
          params: { path: { id: id.value } },
          body: { line, confirmed: false },
        }),
      )
    fed.value = true
  } catch (e) {
    failure.value = e instanceof ServerError ? e.problem.detail : String(e)
  }
}
const done = computed(() => {
  const r = printer.value?.routine
  return r && r.done && r.number === number.value ? r.done : null
})
async function run(kind: 'hold' | 'limit' | 'warm', seconds: number) {
  failure.value = ''
  const target_c = numberOf(target.value)
  if (target_c === null) {
    failure.value = `“${target.value}” is no temperature. Type it in °C, like 200.`
    return
  }
  try {
    const begun = await answer(
      client.POST('/api/v1/printers/{id}/routine', {
        params: { path: { id: id.value } },
        body: { kind, target_c, seconds, cycles: 6, fan: 0, job: null, stop: null },
      }),
    )
    number.value = begun.number
  } catch (e) {
    failure.value = e instanceof ServerError ? e.problem.detail : String(e)
  }
}
</script>

<template>
  <div v-if="connected" class="does" tabindex="-1" role="group" aria-label="The printer does it">
    <RoutineBar v-if="running" :printer="id" :routine="running" />
    <p v-else-if="step.printer === 'reading'">
      It reads <strong class="mono">{{ temperature(nozzleC, 1) }}</strong> now.
    </p>
    <div v-else-if="step.printer === 'feed'" class="ways">
      <TextLine id="printer-target" v-model="target" class="target" label="Target in °C" decimal />
      <NButton @click="run('warm', 180)">Warm the nozzle</NButton>
      <NButton @click="feed">Feed {{ step.feed_mm }} mm</NButton>
      <span v-if="fed" role="status">Fed. What came out?</span>
    </div>
    <div v-else-if="!done" class="ways">
      <TextLine id="printer-target" v-model="target" class="target" label="Target in °C" decimal />
      <NButton v-if="step.printer === 'hold'" @click="run('hold', 240)"
        >Let the printer hold it and log</NButton
      >
      <NButton v-else-if="step.printer === 'watch'" @click="run('hold', 90)">
        Warm it, then move the head while it logs
      </NButton>
      <NButton v-else @click="run('limit', 180)">Ask the printer for it</NButton>
    </div>
    <div v-else class="ways">
      <p v-if="done.failed" class="error">{{ done.failed }}</p>
      <p v-else-if="done.taken_c != null">It takes up to {{ temperature(done.taken_c) }}.</p>
      <p v-else-if="done.hold">The log shows: {{ done.hold.reading.headline }}</p>
      <NButton
        v-if="done.trace != null"
        type="primary"
        @click="emit('log', done.trace, step.printer === 'watch')"
      >
        {{
          step.printer === 'watch' ? 'The head was moved: take what the log shows' : 'Take what the log shows'
        }}
      </NButton>
      <NButton @click="number = null">Again</NButton>
    </div>
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
  </div>
</template>

<style scoped>
.does {
  border: 1px solid var(--rule);
  background: var(--sheet);
  padding: 10px 14px;
}
.ways {
  align-items: end;
}
.target {
  width: 130px;
}
</style>
