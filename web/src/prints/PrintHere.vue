<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { NButton, NCheckbox } from 'naive-ui'
import { computed, ref, watch } from 'vue'

import { answer, client, get } from '../api/client'
import { moment } from '../api/words'
import RoutineBar from '../live/RoutineBar.vue'
import { useLivePrinter } from '../live/useLive'
import { useAttempt } from '../ui/attempt'
import FoldedPart from '../ui/FoldedPart.vue'
import PickList from '../ui/PickList.vue'
import TextLine from '../ui/TextLine.vue'
import PaceForm from './PaceForm.vue'
import ReadingThrough from './ReadingThrough.vue'
import { time, wentWrong, type PrintPage } from './usePrint'

/* For which printer: how long it takes there, printed from here, and what the clock said of it before. */
const props = defineProps<{ page: PrintPage }>()
const printer = defineModel<number | null>('printer', { required: true })
const emit = defineEmits<{ printing: [layer: number | null] }>()
const queries = useQueryClient()
const { failure, busy, attempt } = useAttempt()
const { data: bench } = useQuery({ queryKey: ['bench'], queryFn: () => get('/api/v1/bench') })
const options = computed(() => [
  { value: '', label: 'not said: usual limits' },
  ...(bench.value?.rows ?? []).map((r) => ({ value: String(r.printer.id), label: r.printer.name })),
])
const chosen = computed({
  get: () => (printer.value === null ? '' : String(printer.value)),
  set: (v: string) => (printer.value = v ? Number(v) : null),
})
const name = computed(() => options.value.find((o) => o.value === chosen.value)?.label ?? '')
const id = computed(() => printer.value ?? undefined)
const { connected, running, printer: live } = useLivePrinter(id)
const file = computed(() => props.page.print.id)
const runs = useQuery({
  queryKey: ['runs', file],
  queryFn: () => answer(client.GET('/api/v1/prints/{id}/runs', { params: { path: { id: file.value } } })),
})
const { data: clearance, error: notCleared } = useQuery({
  queryKey: ['clearance', file, printer],
  enabled: () => printer.value !== null,
  queryFn: ({ signal }) =>
    answer(
      client.GET('/api/v1/prints/{id}/clearance', {
        signal,
        params: { path: { id: file.value }, query: { printer_id: printer.value ?? 0 } },
      }),
    ),
})
const withoutUnknown = ref(false)
const unknown = computed(() => clearance.value?.clearance.unknown ?? [])
/* What prints now, and how it ended, if it is this file. */
const print = computed(() => (running.value?.kind === 'print' ? running.value : null))
watch(
  () => (print.value?.progress.print?.layer ? print.value.progress.print.layer - 1 : null),
  (layer) => {
    emit('printing', layer)
  },
  { immediate: true },
)
const ended = computed(() => {
  const done = live.value?.routine?.done?.print
  return done && done.file === file.value ? done.says : ''
})
watch(ended, () => {
  void queries.invalidateQueries({ queryKey: ['runs', file.value] })
  void queries.invalidateQueries({ queryKey: ['print', file.value, 'page'] })
})
async function begin() {
  await attempt(() =>
    answer(
      client.POST('/api/v1/prints/{id}/print', {
        params: { path: { id: file.value } },
        body: { printer_id: printer.value ?? 0, without_unknown: withoutUnknown.value },
      }),
    ),
  )
  await runs.refetch()
}
const minutes = ref('')
watch([minutes, printer], () => {
  failure.value = ''
})
async function keep() {
  const made = await attempt(() =>
    answer(
      client.POST('/api/v1/prints/{id}/runs', {
        params: { path: { id: file.value } },
        body: { printer_id: printer.value ?? 0, minutes: minutes.value },
      }),
    ),
  )
  if (!made) return
  minutes.value = ''
  await runs.refetch()
  await queries.invalidateQueries({ queryKey: ['print', file.value, 'page'] })
}
const byClock = computed(() => props.page.by_the_clock_s)
const how = { running: 'printing', done: 'done', stopped: 'stopped', broken: 'broken off', typed: 'typed' }
</script>

<template>
  <section class="here" aria-labelledby="here-title">
    <h2 id="here-title">On which printer</h2>
    <PickList id="print-printer" v-model="chosen" label="Printer" :options="options" />
    <template v-if="printer !== null">
      <p v-if="byClock && page.factor" role="status">
        By its clock <strong class="mono">{{ time(byClock[0] ?? 0) }} ± {{ time(byClock[1] ?? 0) }}</strong
        >: {{ page.factor.value.toFixed(2) }} ± {{ page.factor.u.toFixed(2) }} of what is predicted, from
        {{ page.factor.prints }} {{ page.factor.prints === 1 ? 'print' : 'prints' }}.
      </p>
      <p v-else class="quiet">
        No print on {{ name }} was timed yet: what is predicted may be some per cent off.
      </p>
      <RoutineBar v-if="print" :printer="printer" :routine="print" />
      <p v-if="ended && !print" role="status">{{ ended }}</p>
      <p v-if="notCleared" class="error">{{ wentWrong(notCleared) }}</p>
      <p v-else-if="clearance && !print" :class="{ error: !clearance.clear }">{{ clearance.says }}</p>
      <p v-if="clearance?.mismatch && !print" class="error" role="alert">{{ clearance.mismatch }}</p>
      <ReadingThrough
        v-if="!notCleared && !clearance"
        :print="file"
        label="The guard reads the whole file …"
      />
      <FoldedPart
        v-if="clearance && clearance.clearance.refused_lines > 1"
        :title="`What may not be sent (${clearance.clearance.refused_lines})`"
      >
        <ul>
          <li v-for="d in clearance.clearance.refused" :key="d.line">Line {{ d.line }}: {{ d.message }}</li>
        </ul>
      </FoldedPart>
      <template v-if="clearance?.clear && !print">
        <NCheckbox v-if="unknown.length" v-model:checked="withoutUnknown">
          Print it without {{ unknown.map((g) => `${g.code} (${g.times}×)`).join(', ') }}
        </NCheckbox>
        <p v-if="connected" class="quiet">
          Is the bed clear? Stay with it: a print is unattended only after acceptance.
        </p>
        <NButton
          type="primary"
          :disabled="busy || !connected || !!running || (unknown.length > 0 && !withoutUnknown)"
          @click="begin"
        >
          Print it on {{ name }}
        </NButton>
        <p v-if="!connected" class="quiet">{{ name }} is not connected. Connect it, or save the file.</p>
        <p v-else-if="running" class="quiet">{{ name }} is busy: {{ running.progress.says }}.</p>
      </template>
      <p v-if="failure" class="error" role="alert">{{ failure }}</p>
      <FoldedPart title="Printed elsewhere? Type how long it took">
        <div class="row">
          <TextLine id="took" v-model="minutes" label="Took, min" decimal @enter="keep" />
          <NButton :disabled="busy || !minutes.trim()" @click="keep">Keep it</NButton>
        </div>
      </FoldedPart>
      <FoldedPart title="What its axes can do" :says="page.limits_from">
        <PaceForm :key="printer" :printer="printer" :connected="connected" />
      </FoldedPart>
    </template>
    <FoldedPart v-if="runs.data.value?.length" :title="`Prints made (${runs.data.value.length})`">
      <ul class="runs">
        <li v-for="r in runs.data.value" :key="r.id">
          <strong>{{ r.printer }}</strong>, {{ moment(r.began_at) }}:
          {{ how[r.how as keyof typeof how] ?? r.how }}
          <template v-if="r.took_s != null">
            in <span class="mono">{{ time(r.took_s) }}</span>,
            <span class="mono">{{ time(r.predicted_s) }}</span> predicted
          </template>
          <span v-if="r.how === 'stopped' || r.how === 'broken'" class="quiet">{{ r.says }}</span>
        </li>
      </ul>
    </FoldedPart>
  </section>
</template>

<style scoped>
.here {
  display: grid;
  gap: 8px;
  justify-items: start;
}
.here > * {
  width: 100%;
}
.row {
  display: grid;
  grid-template-columns: 1fr max-content;
  gap: 8px;
  align-items: end;
}
.runs {
  padding-left: 18px;
}
.runs .quiet {
  display: block;
}
</style>
