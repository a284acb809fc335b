<script setup lang="ts">
import { NButton } from 'naive-ui'
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute } from 'vue-router'

import { answer, client, get, type Schemas } from '../api/client'
import { endWord, moment, toneOf } from '../api/words'
import MarkedPhoto from '../ui/MarkedPhoto.vue'
import WideTable from '../ui/WideTable.vue'

const route = useRoute()
const id = Number(route.params.id)
const params = { params: { path: { id } } }
const { data: page, error } = useQuery({
  queryKey: ['job', id],
  queryFn: () => answer(client.GET('/api/v1/jobs/{id}', params)),
})
const { data: closings } = useQuery({
  queryKey: ['job', id, 'closings'],
  queryFn: () => answer(client.GET('/api/v1/jobs/{id}/closings', params)),
})
const { data: photos } = useQuery({
  queryKey: ['job', id, 'photos'],
  queryFn: () => answer(client.GET('/api/v1/jobs/{id}/photos', params)),
})
/* What was proven to be wrong, and what was only taken for it. */
const found = (back: boolean) =>
  (page.value?.found ?? [])
    .filter((f) => f.came_back === back)
    .map((f) => `${f.cause}, case ${f.case}`)
    .join('; ')
const causes = computed(() => found(false))
const takenFor = computed(() => found(true))
const shownAfter = computed(() => {
  const of = page.value
  return of ? [...of.job.failure_times_min, ...of.traveller.returned_after_min].map((m) => Math.round(m)) : []
})
const nameOf = (stop: string) => page.value?.traveller.lines.find((l) => l.key === stop)?.title ?? stop
const rows = computed(() =>
  (closings.value ?? [])
    .filter((c) => c.finding.facts.station !== 'check')
    .map((c) => ({
      ...c,
      title: page.value?.traveller.lines.find((l) => l.key === c.stop)?.title ?? c.finding.words.title,
    })),
)
const checks = computed(() =>
  (closings.value ?? []).filter((c) => c.finding.facts.station === 'check' && !c.superseded),
)
/* A stop that was mended later is a part of what happened, and of what was paid for. */
const stoppedOnTheWay = computed(() =>
  (closings.value ?? []).filter(
    (c) => c.finding.facts.station === 'check' && c.superseded && c.finding.facts.verdict === 'stop',
  ),
)
const unproven = computed(() => (page.value?.traveller.lines ?? []).filter((l) => l.state === 'waived'))
const restingOn = (title: string) =>
  (page.value?.traveller.lines ?? [])
    .filter((l) => l.key !== 'acceptance' && l.state !== 'waived' && l.unproven.includes(title))
    .map((l) => l.title)
const released = computed(() => (page.value?.traveller.lines ?? []).filter((l) => l.state === 'released'))
const word = { pass: 'pass', adjust: 'adjusted', measure_again: 'open', stop: 'stopped' }
/* Where another station is to be done again nothing was adjusted. */
const wordOf = ({ verdict, send_back }: Schemas['Finding']['facts']) =>
  verdict === 'adjust' && send_back ? 'sent back' : word[verdict]
const { data: catalogue } = useQuery({ queryKey: ['catalogue'], queryFn: () => get('/api/v1/catalogue') })
const parts = computed(() => {
  const names = (catalogue.value?.parts ?? []).flatMap((p) => p.replacements)
  return page.value?.job.replaced.map((id) => names.find((n) => n.id === id)?.label ?? '').join('; ')
})
function print() {
  window.print()
}
</script>

<template>
  <p v-if="error" class="page error">{{ error.message }}</p>
  <article v-else-if="page" class="report">
    <div class="top">
      <h1>Recalibration of {{ page.printer.name }}, job {{ page.job.id }}</h1>
      <div class="no-print ways">
        <a class="soft" :href="`/api/v1/jobs/${id}/export`" :download="`job-${id}.json`">Save as file</a>
        <NButton type="primary" @click="print">Print</NButton>
      </div>
    </div>
    <p v-if="page.printer.invented" class="quiet">Invented demo data.</p>
    <dl>
      <div>
        <dt>Printer</dt>
        <dd>{{ page.printer.kind }}</dd>
      </div>
      <div>
        <dt>Complaint</dt>
        <dd>{{ page.job.complaint || 'none, planned change' }}</dd>
      </div>
      <div v-if="shownAfter.length">
        <dt>It showed</dt>
        <dd>after {{ shownAfter.join(', ') }} min of printing</dd>
      </div>
      <div v-if="causes">
        <dt>Cause found</dt>
        <dd>{{ causes }}</dd>
      </div>
      <div v-if="takenFor">
        <dt>Taken for</dt>
        <dd>{{ takenFor }}; it came back</dd>
      </div>
      <div v-if="page.job.tried">
        <dt>Tried before</dt>
        <dd>{{ page.job.tried }}</dd>
      </div>
      <div>
        <dt>Replaced</dt>
        <dd>{{ parts || 'nothing' }}</dd>
      </div>
      <div>
        <dt>Filament</dt>
        <dd>{{ page.job.filaments.map((f) => f.name).join('; ') || 'none' }}</dd>
      </div>
      <div>
        <dt>Brought by</dt>
        <dd>{{ page.job.customer || '–' }}</dd>
      </div>
      <div>
        <dt>Worked on by</dt>
        <dd>{{ page.job.technician || '–' }}</dd>
      </div>
      <div>
        <dt>Opened</dt>
        <dd>{{ moment(page.job.opened_at) }}</dd>
      </div>
      <div>
        <dt>{{ page.job.ended ? endWord[page.job.ended] : 'Handed over' }}</dt>
        <dd>{{ page.job.finished_at ? moment(page.job.finished_at) : 'still open' }}</dd>
      </div>
    </dl>
    <template
      v-if="unproven.length || page.traveller.false_fixes.length || page.deeds.length || page.changed.length"
    >
      <h2>To know first</h2>
      <p v-for="l in unproven" :key="l.key">
        <strong>{{ l.title }}</strong> was left out: {{ l.waived }}.
        <template v-if="restingOn(l.title).length"
          >Unproven with it: {{ restingOn(l.title).join(', ') }}.</template
        >
      </p>
      <p v-for="f in page.traveller.false_fixes" :key="f.part">
        The new {{ f.label }} did not explain the complaint: {{ f.says }}.
      </p>
      <p v-for="c in page.changed" :key="c.what">
        {{ c.lasts === 'loan' ? 'Not given back' : 'Altered still' }}: {{ c.says }}.
      </p>
      <ul v-if="page.deeds.length" class="deeds">
        <li v-for="d in page.deeds" :key="d.seq">{{ moment(d.at) }}: {{ d.says }}</li>
      </ul>
    </template>
    <h2>What was measured, with its uncertainty at 95 %</h2>
    <p v-if="rows.length === 0">Nothing was measured yet.</p>
    <WideTable v-else>
      <thead>
        <tr>
          <th scope="col">Station</th>
          <th scope="col">Measured</th>
          <th scope="col">Allowed</th>
          <th scope="col">Verdict</th>
          <th scope="col">Before → after</th>
          <th scope="col">When</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="c in rows" :key="c.seq" :class="{ old: c.superseded }">
          <td>{{ c.title }}</td>
          <td class="mono">
            <div v-for="b in c.finding.words.bands" :key="b.label">
              {{ c.finding.words.bands.length > 1 ? `${b.label} ` : '' }}{{ b.measured }}
            </div>
          </td>
          <td class="mono">
            <div v-for="b in c.finding.words.bands" :key="b.label">{{ b.nominal }}</div>
          </td>
          <td>
            <span class="chip" :class="toneOf[c.finding.facts.verdict]">{{ wordOf(c.finding.facts) }}</span>
          </td>
          <td>{{ c.finding.words.line }}</td>
          <td class="at">{{ moment(c.at) }}</td>
        </tr>
      </tbody>
    </WideTable>
    <h2>Done by hand</h2>
    <p>
      {{
        checks.map((c) => `${c.finding.words.title}: ${c.finding.words.line}`).join('. ') || 'Nothing yet.'
      }}
    </p>
    <template v-for="c in checks" :key="c.seq">
      <p v-for="r in c.finding.words.reasons" :key="r" class="quiet">{{ r }}</p>
    </template>
    <template v-if="stoppedOnTheWay.length">
      <h2>Stopped on the way</h2>
      <p v-for="c in stoppedOnTheWay" :key="c.seq">
        {{ c.finding.words.title }}: {{ c.finding.words.line }}, {{ moment(c.at) }}.
      </p>
    </template>
    <template v-if="photos?.length">
      <h2>Pictures</h2>
      <div class="pictures">
        <figure v-for="p in photos" :key="p.id">
          <MarkedPhoto :photo="p" :marks="p.marks" />
          <figcaption>{{ nameOf(p.stop) }}: {{ p.caption || `picture ${p.id}` }}</figcaption>
        </figure>
      </div>
    </template>
    <h2>Not needed</h2>
    <p v-for="l in released" :key="l.key">{{ l.reason }}</p>
    <p v-if="page.traveller.untouched">Untouched: {{ page.traveller.untouched }}.</p>
    <p class="foot quiet">
      Each value passed only where its error and its uncertainty together stay inside the limit (ISO 14253-1).
      Older results stay in grey.
    </p>
  </article>
</template>

<style scoped>
.report {
  max-width: 980px;
  margin: 20px auto;
  padding: 26px 34px;
  background: var(--sheet);
  border: 1px solid var(--rule);
}
.top {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  gap: 20px;
}
.ways {
  display: flex;
  gap: 10px;
}
dl {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 3px 30px;
  margin: 14px 0;
}
dl div {
  display: grid;
  grid-template-columns: 110px 1fr;
}
dt {
  color: var(--ink2);
}
dd {
  margin: 0;
  min-width: 0;
  overflow-wrap: anywhere;
}
h2 {
  margin-top: 18px;
}
td {
  border-bottom: 1px solid var(--rule);
}
.pictures {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(220px, 1fr));
  gap: 14px;
}
figure {
  margin: 0;
  break-inside: avoid;
}
figcaption {
  font-size: 14px;
  color: var(--ink2);
}
.deeds {
  margin: 6px 0;
  padding-left: 18px;
}
.old td {
  color: var(--ink2);
}
.foot {
  margin-top: 18px;
  font-size: 14px;
}
@media screen and (min-width: 900px) {
  .mono div,
  .at,
  .chip {
    white-space: nowrap;
  }
}
@media print {
  .report {
    border: 0;
    margin: 0;
    padding: 0;
    max-width: none;
    font-size: 10.5pt;
  }
}
@media (max-width: 700px) {
  .report {
    padding: 14px 16px;
    margin: 0;
  }
  dl {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
