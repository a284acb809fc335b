<script setup lang="ts">
import { NButton } from 'naive-ui'
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'

import { ServerError, answer, client, get, type Schemas } from '../api/client'
import { moment } from '../api/words'
import ChainDrawing from '../drawings/ChainDrawing.vue'
import { useLivePrinter } from '../live/useLive'
import PrinterForm from './PrinterForm.vue'
import ValueForm from './ValueForm.vue'
import { usePen } from '../app/pen'
import MarkedPhoto from '../ui/MarkedPhoto.vue'
import WideTable from '../ui/WideTable.vue'

const { length } = usePen()

const route = useRoute()
const id = computed(() => Number(route.params.id))
const { data, error } = useQuery({
  queryKey: ['printer', id],
  queryFn: () => answer(client.GET('/api/v1/printers/{id}', { params: { path: { id: id.value } } })),
})
const { printer: live } = useLivePrinter(id)
const { data: catalogue } = useQuery({ queryKey: ['catalogue'], queryFn: () => get('/api/v1/catalogue') })
const parameter = (p: string) => catalogue.value?.parameters.find((x) => x.id === p)
const part = (p: string) => catalogue.value?.parts.find((x) => x.id === p)?.label ?? p
const queries = useQueryClient()
const editing = ref(false)
const noting = ref(false)
const first = ref<Schemas['SettingShown']>()
function note(setting?: Schemas['SettingShown']) {
  first.value = setting
  noting.value = true
}
const failure = ref('')
async function retire(retired: boolean) {
  failure.value = ''
  try {
    const params = { params: { path: { id: id.value } } }
    await answer(client.PUT('/api/v1/printers/{id}/retired', { ...params, body: { retired } }))
    await queries.invalidateQueries({ queryKey: ['printer'] })
    await queries.invalidateQueries({ queryKey: ['bench'] })
  } catch (e) {
    if (e instanceof ServerError) failure.value = e.problem.detail
  }
}
const filament = (f: number | null | undefined) => data.value?.filaments.find((x) => x.id === f)?.name
</script>

<template>
  <p v-if="error" class="page error">{{ error.message }}</p>
  <section v-else-if="data" class="page">
    <div class="top">
      <div>
        <h1>{{ data.printer.name }}</h1>
        <p class="quiet">
          {{ data.printer.kind }}; {{ data.printer.facts.hot_end === 'lined' ? 'lined' : 'all-metal' }} hot
          end, bore {{ length(data.printer.facts.nozzle_mm) }}
        </p>
        <p v-if="data.printer.retired_at" class="quiet">
          Retired {{ moment(data.printer.retired_at) }}. Its history stays.
        </p>
        <p v-if="failure" class="error" role="alert">{{ failure }}</p>
        <p v-if="data.printer.unreadable" class="error" role="alert">{{ data.printer.unreadable }}</p>
      </div>
      <RouterLink class="soft" :to="`/printers/${id}/link`">{{
        live ? 'Its heat and wire' : 'Connect it'
      }}</RouterLink>
      <NButton @click="editing = true">What is known of it</NButton>
      <NButton v-if="data.printer.retired_at" type="primary" @click="retire(false)">
        Take it back into the shop
      </NButton>
      <RouterLink v-else-if="data.job" class="act" :to="`/jobs/${data.job.id}`"
        >Go on with job {{ data.job.id }}</RouterLink
      >
      <RouterLink v-else class="act" :to="`/jobs/new/${id}`">New job</RouterLink>
    </div>
    <PrinterForm v-model:shown="editing" :page="data" />
    <ValueForm v-model:shown="noting" :page="data" :first="first" />
    <ChainDrawing :chain="data.chain" :replaced="data.replaced" />
    <section v-if="data.changed.length">
      <h2>Not as it belongs</h2>
      <ul>
        <li v-for="c in data.changed" :key="c.what">
          {{ c.says }}
          <span class="quiet">
            {{ c.lasts === 'loan' ? 'to give back' : 'altered' }} since {{ moment(c.since) }},
            <RouterLink :to="`/jobs/${c.job_id}`">job {{ c.job_id }}</RouterLink>
          </span>
        </li>
      </ul>
    </section>
    <section v-if="data.photos.length">
      <h2>Pictures</h2>
      <div class="pictures">
        <figure v-for="{ photo: p, job_id: job } in data.photos" :key="p.id">
          <MarkedPhoto :photo="p" :marks="p.marks" />
          <figcaption>
            {{ p.caption || `picture ${p.id}` }},
            <RouterLink :to="`/jobs/${job}/${p.stop}`">job {{ job }}</RouterLink>
          </figcaption>
        </figure>
      </div>
    </section>
    <div class="two">
      <section>
        <div class="head">
          <h2>Parts over time</h2>
          <NButton @click="editing = true">Put a part right</NButton>
        </div>
        <p v-for="d in data.due" :key="d" class="due">{{ d }}</p>
        <p v-if="data.fittings.length === 0" class="quiet">
          No part noted yet. Parts appear when a job fits them.
        </p>
        <WideTable v-else>
          <tbody>
            <tr v-for="(f, i) in data.fittings" :key="i" :class="{ old: f.until_at }">
              <th scope="row">{{ part(f.part) }}</th>
              <td>{{ f.description }}</td>
              <td>{{ moment(f.from_at) }}</td>
              <td>{{ f.until_at ? `until ${moment(f.until_at)}` : 'fitted' }}</td>
            </tr>
          </tbody>
        </WideTable>
        <NButton v-if="!data.printer.retired_at && !data.job" class="retire" @click="retire(true)">
          Retire this printer
        </NButton>
      </section>
      <section>
        <div class="head">
          <h2>Values over time</h2>
          <NButton @click="note()">Note a value</NButton>
        </div>
        <p v-if="data.settings.length === 0" class="quiet">
          No value noted yet. Values appear when a station is closed.
        </p>
        <WideTable v-else>
          <tbody>
            <tr v-for="(s, i) in data.settings" :key="i" :class="{ old: s.until_at }">
              <th scope="row">{{ parameter(s.parameter)?.label }}</th>
              <td class="mono">{{ s.shown }}</td>
              <td>{{ filament(s.filament_id) }}</td>
              <td>{{ moment(s.from_at) }}</td>
              <td>
                <NButton
                  v-if="!s.until_at"
                  quaternary
                  :aria-label="`Change ${parameter(s.parameter)?.label} ${filament(s.filament_id) ?? ''}`"
                  @click="note(s)"
                  >Change</NButton
                >
              </td>
            </tr>
          </tbody>
        </WideTable>
      </section>
    </div>
  </section>
</template>

<style scoped>
.top {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: start;
  gap: 10px;
  margin-bottom: 12px;
}
.top > div {
  flex: 1;
}
.head {
  display: flex;
  justify-content: space-between;
  align-items: center;
  margin-bottom: 6px;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 28px;
  margin-top: 8px;
}
.pictures {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(180px, 1fr));
  gap: 14px;
}
.pictures figure {
  margin: 0;
}
.due {
  border-left: 4px solid var(--caution);
  padding-left: 10px;
}
.retire {
  margin-top: 12px;
}
.old {
  color: var(--ink2);
}
.old th {
  font-weight: 400;
}
@media (max-width: 800px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
