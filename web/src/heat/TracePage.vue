<script setup lang="ts">
import { NButton } from 'naive-ui'
import { useQuery } from '@tanstack/vue-query'
import { ref, shallowRef } from 'vue'

import { answer, client, get, type Schemas } from '../api/client'
import { duration, moment } from '../api/words'
import TraceCurve from '../drawings/TraceCurve.vue'
import LogDrop from './LogDrop.vue'
import TraceReading from './TraceReading.vue'
import { usePen } from '../app/pen'
import PickList from '../ui/PickList.vue'
import FoldedPart from '../ui/FoldedPart.vue'

const { temperature } = usePen()

const { data: bench } = useQuery({ queryKey: ['bench'], queryFn: () => get('/api/v1/bench') })
const printer = ref<number | null>(null)
const view = shallowRef<Schemas['TraceView'] | null>(null)
const name = ref('')
const printerName = (id: number) => bench.value?.rows.find((r) => r.printer.id === id)?.printer.name ?? ''
const { data: kept, refetch } = useQuery({
  queryKey: ['traces', printer],
  queryFn: () =>
    printer.value === null
      ? get('/api/v1/traces')
      : answer(client.GET('/api/v1/printers/{id}/traces', { params: { path: { id: printer.value } } })),
})
async function example() {
  view.value = await get('/api/v1/traces/example')
  name.value = 'An invented example'
}
async function show(id: number) {
  view.value = await answer(client.GET('/api/v1/traces/{id}', { params: { path: { id } } }))
  name.value = ''
}
function read(got: Schemas['TraceView'], file: string) {
  view.value = got
  name.value = file
  void refetch()
}
const kinds: Record<string, string> = {
  hold: 'hold test',
  autotune: 'autotune',
  verify: 'verification',
  warm: 'heat-up',
  file: 'from a file',
}
</script>

<template>
  <section class="page">
    <h1>Drop a temperature log in: is it the loop, the sensor, the heater, or the fan?</h1>
    <p class="quiet">
      A CSV with a heading line (time, temperature, target, duty; more nozzles and the bed beside them), or a
      saved serial log. It is read here, on this machine.
    </p>
    <div class="tools">
      <PickList
        id="log-printer"
        label="Keep it with"
        :model-value="printer === null ? '' : String(printer)"
        :options="[
          { value: '', label: 'no printer: only read it' },
          ...(bench?.rows ?? []).map((r) => ({ value: String(r.printer.id), label: r.printer.name })),
        ]"
        @update:model-value="(id) => (printer = id ? Number(id) : null)"
      />
      <LogDrop
        class="wide"
        label="Drop a log file here, or press to choose one"
        :printer="printer ?? undefined"
        @read="read"
      />
    </div>
    <template v-if="view">
      <p class="quiet">
        {{
          name ||
          (view.kept
            ? `${printerName(view.kept.printer_id)}, ${kinds[view.kept.kind] ?? view.kept.kind}`
            : '')
        }}: {{ view.all }} samples over {{ duration(view.span_s)
        }}<template v-if="view.kept">, kept {{ moment(view.kept.at) }}</template>
      </p>
      <ul v-if="view.notes.length" class="quiet notes" aria-label="What was assumed">
        <li v-for="n in view.notes" :key="n">{{ n }}</li>
      </ul>
      <h2 v-if="view.others.length">{{ view.of }}</h2>
      <TraceReading :reading="view.reading" />
      <!-- What each heater shows stands before the curves: the fault may be another one's. -->
      <section v-for="o in view.others" :key="o.of" :aria-label="o.of">
        <h2>{{ o.of }}</h2>
        <TraceReading :reading="o.reading" />
      </section>
      <p v-if="view.kept">
        <RouterLink class="soft" :to="`/wrong/new/${view.kept.printer_id}?trace=${view.kept.id}`">
          Look for the cause
        </RouterLink>
      </p>
      <TraceCurve
        :samples="view.samples"
        :of="view.of"
        :marks="view.reading.marks"
        :band="view.band_c"
        :height="300"
        :label="`Temperature log: ${view.reading.headline}`"
      />
      <template v-for="o in view.others" :key="o.of">
        <h2>{{ o.of }}, its curve</h2>
        <TraceCurve
          :samples="o.samples"
          :of="o.of"
          :marks="o.reading.marks"
          :band="view.band_c"
          :height="220"
          :label="`${o.of}: ${o.reading.headline}`"
        />
      </template>
      <FoldedPart
        v-if="view.reading.marks.length"
        :title="`Marked in the log (${view.reading.marks.length})`"
        open
      >
        <ul class="marks mono">
          <li v-for="(m, i) in view.reading.marks" :key="i">{{ m.from_s.toFixed(0) }} s: {{ m.says }}</li>
        </ul>
      </FoldedPart>
      <FoldedPart
        v-if="view.diagnostics.length"
        :title="`Lines that don’t read (${view.diagnostics.length})`"
      >
        <ul>
          <li v-for="(d, i) in view.diagnostics" :key="i">
            Line {{ d.line }}, column {{ d.column }}: {{ d.says }}
          </li>
        </ul>
      </FoldedPart>
    </template>
    <section v-else class="empty sheet">
      <p>
        A log of three minutes is enough: heat to the print temperature, hold, and save what the printer
        reported each second. With a printer connected, its hold test and its autotune are kept here by
        themselves.
      </p>
      <div class="ways">
        <NButton @click="example">Read an invented example</NButton>
        <a class="soft" href="/api/v1/traces/example.csv" download>Its file</a>
      </div>
    </section>
    <section>
      <h2>
        {{ printer === null ? 'The last logs that were kept' : `Kept logs of ${printerName(printer)}` }}
      </h2>
      <p v-if="kept && kept.length === 0" class="quiet">
        None yet. Hold tests, autotunes and dropped files are kept.
      </p>
      <ul v-else class="kept">
        <li v-for="k in kept ?? []" :key="k.id">
          <NButton @click="show(k.id)">
            <template v-if="printer === null">{{ printerName(k.printer_id) }}: </template
            >{{ kinds[k.kind] ?? k.kind
            }}<template v-if="k.target_c">, {{ temperature(k.target_c) }}</template
            >,
            {{ moment(k.at) }}
          </NButton>
        </li>
      </ul>
    </section>
  </section>
</template>

<style scoped>
.page {
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.tools {
  display: grid;
  grid-template-columns: 260px 1fr;
  gap: 16px;
  align-items: start;
}
/* Level with the list beside it, which has a label above. */
.tools > .wide {
  margin-top: 26px;
}
.notes {
  margin: 0;
}
.marks {
  columns: 3;
  font-size: 14px;
  margin: 0;
  padding-left: 18px;
}
.kept {
  list-style: none;
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  padding: 0;
  margin: 6px 0 0;
}
@media (max-width: 800px) {
  .tools {
    grid-template-columns: minmax(0, 1fr);
  }
  .tools > .wide {
    margin-top: 0;
  }
}
</style>
