<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { useMediaQuery } from '@vueuse/core'
import { NButton } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { RouterLink, useRoute, useRouter } from 'vue-router'

import { answer, client } from '../api/client'
import AskDialog from '../ui/AskDialog.vue'
import { useAttempt } from '../ui/attempt'
import FoldedPart from '../ui/FoldedPart.vue'
import BandsPanel from './BandsPanel.vue'
import BorePanel from './BorePanel.vue'
import HeightStrip from './HeightStrip.vue'
import LayerDrawing from './LayerDrawing.vue'
import PrintHere from './PrintHere.vue'
import ReadingThrough from './ReadingThrough.vue'
import { BINDS, time, useLayer, usePrint, type Band } from './usePrint'

/* One sliced part: what takes its time, by height; one layer true to scale; one setting changed by height. */
const route = useRoute()
const router = useRouter()
const queries = useQueryClient()
const id = computed(() => Number(route.params.id))
const narrow = useMediaQuery('(max-width: 900px)')
/* The printer that it is for stands in the address: another tab can have another one. */
const printer = computed({
  get: () => Number(route.query.printer) || null,
  set: (v: number | null) =>
    void router.replace({ query: { ...route.query, printer: v ? String(v) : undefined } }),
})
/* The station that asked for it; never an address of another place. */
const back = computed(() => {
  const found = route.query.back
  return typeof found === 'string' && /^\/jobs\/\d+\/[\w.]+$/.test(found) ? found : null
})
const { data, error } = usePrint(id, printer)
const panel = ref<InstanceType<typeof BandsPanel>>()
const printing = ref<number | null>(null)
const at = ref(0)
watch(
  () => data.value?.print.id,
  () => {
    at.value = data.value ? Math.floor(data.value.layers.length / 2) : 0
  },
  { immediate: true },
)
const line = computed(() => data.value?.layers[at.value]?.line ?? null)
const { data: layer, error: layerError } = useLayer(id, printer, line)
const typed = ref<{ kind: string; bands: Band[] }>({ kind: 'flow', bands: [] })
/* What was changed is shown where nothing is typed. */
const shown = computed(() =>
  typed.value.bands.length ? typed.value : (data.value?.print.change ?? typed.value),
)
const asks = ref(false)
const { failure, busy, attempt } = useAttempt()
async function letGo() {
  const gone = await attempt(() =>
    answer(client.DELETE('/api/v1/prints/{id}', { params: { path: { id: id.value } } })).then(() => true),
  )
  if (!gone) return
  asks.value = false
  queries.removeQueries({ queryKey: ['print', id.value] })
  await queries.invalidateQueries({ queryKey: ['prints'] })
  await router.push('/prints')
}
/* The first layer with the line that primes; above it the part alone, the same for each layer. */
const outline = computed((): [number, number, number, number] => {
  const b = (at.value > 0 ? data.value?.upper_bounds : null) ?? data.value?.bounds
  return b ? [b.x_mm[0] ?? 0, b.x_mm[1] ?? 1, b.y_mm[0] ?? 0, b.y_mm[1] ?? 1] : [0, 1, 0, 1]
})
const name = computed(() => data.value?.print.name.replace(/\.\w+$/, '') ?? '')
</script>

<template>
  <p v-if="error" class="page error">{{ error.message }}</p>
  <div v-else-if="data" class="print" :class="{ narrow }">
    <div class="drawing">
      <p v-if="back"><RouterLink :to="back">Back to the station</RouterLink></p>
      <h1>{{ name }}: {{ data.says }}.</h1>
      <p v-if="data.proves" class="quiet">{{ data.proves }}</p>
      <div class="two">
        <figure class="stripbox">
          <figcaption class="quiet">Seconds a layer, and what binds</figcaption>
          <HeightStrip
            v-model:at="at"
            :page="data"
            :kind="shown.kind"
            :bands="shown.bands"
            :printing="printing"
            :drags="typed.bands.length > 0"
            @drag="(edge, z) => panel?.drag(edge, z)"
          />
        </figure>
        <div class="layerbox">
          <LayerDrawing v-if="layer" :layer="layer" :bounds="outline" />
          <p v-else-if="layerError" class="error">{{ layerError.message }}</p>
          <p v-else class="quiet">Drawing the layer …</p>
        </div>
      </div>
    </div>
    <aside class="side" aria-label="Numbers and changes" tabindex="0">
      <section aria-labelledby="binds-title">
        <h2 id="binds-title">What binds</h2>
        <dl>
          <template v-for="[key, label, hatch] in BINDS" :key="key">
            <template v-if="data.binds[key] > 0.005 * data.seconds">
              <dt>
                <svg viewBox="0 0 22 14" class="sample" aria-hidden="true">
                  <path v-if="hatch === 'lines'" d="M0 3h22M0 7h22M0 11h22" />
                  <path v-else-if="hatch === 'slant'" d="M0 14L14 0M8 14L22 0M-8 14L6 0M16 14L30 0" />
                  <path v-else-if="hatch === 'cross'" d="M0 4h22M0 10h22M5 0v14M11 0v14M17 0v14" />
                  <path
                    v-else-if="hatch === 'dots'"
                    stroke-dasharray="2 4"
                    stroke-width="2"
                    d="M1 3h22M3 7h22M1 11h22"
                  />
                </svg>
                {{ label }}
              </dt>
              <dd class="mono">{{ time(data.binds[key]) }}</dd>
            </template>
          </template>
        </dl>
        <p class="quiet">
          {{ data.layers.length }} layers, {{ (data.volume_mm3 / 1000).toFixed(1) }} cm³,
          {{ data.retractions }} retractions; at most {{ data.top_flow_mm3_s.toFixed(1) }} mm³/s.
          <template v-if="data.unknown_heating">Heating and homing aren’t counted.</template>
          Timed with {{ data.limits.accel_mm_s2 }} mm/s² and
          {{
            data.limits.junction_mm != null || !data.limits.jerk_mm_s
              ? `a junction deviation of ${data.limits.junction_mm ?? 0.05} mm`
              : `sudden changes of at most ${data.limits.jerk_mm_s.x ?? '–'} mm/s`
          }}.
        </p>
      </section>
      <PrintHere v-model:printer="printer" :page="data" @printing="printing = $event" />
      <p v-if="data.print.change">
        Made from <RouterLink :to="`/prints/${data.print.made_from}`">another file</RouterLink>:
        {{ data.print.change.edits }} places changed, read again, all else the same.
        <template v-if="data.print.change.stays">
          What it was isn’t said in the file: the last value stays until the printer is told another.
        </template>
      </p>
      <p>
        <a class="soft" :href="`/api/v1/files/${data.print.sha256}`" :download="data.print.name"
          >Save the file</a
        >
        <NButton quaternary aria-haspopup="dialog" @click="asks = true">Let it go …</NButton>
      </p>
      <BandsPanel
        ref="panel"
        :key="data.print.id"
        :page="data"
        :printer="printer"
        @bands="(kind, bands) => (typed = { kind, bands })"
      />
      <FoldedPart title="Is another bore worth it?">
        <BorePanel :key="data.print.id" :page="data" :printer="printer" />
      </FoldedPart>
      <FoldedPart v-if="data.wrong" :title="`What can’t be read (${data.wrong})`">
        <ul>
          <li v-for="d in data.diagnostics" :key="`${d.line}-${d.column}`">
            Line {{ d.line }}, column {{ d.column }}: {{ d.message }}
          </li>
        </ul>
      </FoldedPart>
    </aside>
    <AskDialog id="let-go" v-model:shown="asks" :title="`Let ${data.print.name} go?`" :failure="failure">
      <p>It is taken out of the list. What was made from it stays.</p>
      <template #ways>
        <NButton @click="asks = false">Keep it</NButton>
        <NButton :disabled="busy" @click="letGo">Let it go</NButton>
      </template>
    </AskDialog>
  </div>
  <div v-else class="page">
    <ReadingThrough :print="id" label="Reading it through …" />
    <p class="back"><RouterLink class="soft" to="/prints">Stop, and go back</RouterLink></p>
  </div>
</template>

<style scoped>
.back {
  margin-top: 14px;
}
.print {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 304px;
  height: 100%;
}
.print.narrow {
  display: block;
}
.drawing {
  padding: 14px 24px 8px;
  display: flex;
  flex-direction: column;
  min-height: 0;
  overflow: auto;
}
.two {
  flex: 1;
  display: grid;
  grid-template-columns: minmax(0, 46fr) minmax(0, 54fr);
  gap: 20px;
  min-height: 0;
}
.narrow .two {
  display: block;
}
.stripbox {
  margin: 0;
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.narrow .stripbox,
.narrow .layerbox {
  height: 70vh;
}
.stripbox > svg {
  flex: 1;
  min-height: 0;
}
.layerbox {
  min-height: 0;
}
.side {
  position: relative;
  border-left: 1px solid var(--rule);
  padding: 16px 18px;
  overflow: auto;
  display: flex;
  flex-direction: column;
  gap: 14px;
}
.narrow .side {
  border-left: 0;
}
dl {
  display: grid;
  grid-template-columns: 1fr max-content;
  gap: 4px 10px;
  margin: 6px 0;
}
dd {
  margin: 0;
  text-align: right;
}
.sample {
  width: 22px;
  height: 14px;
  margin-right: 6px;
  vertical-align: -2px;
  border: 1px solid var(--rule);
  stroke: var(--ink);
  fill: none;
}
</style>
