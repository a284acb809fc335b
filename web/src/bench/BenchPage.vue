<script setup lang="ts">
import { NButton, NCheckbox } from 'naive-ui'
import { useQuery } from '@tanstack/vue-query'
import { computed, nextTick, ref } from 'vue'

import { get } from '../api/client'
import PrinterForm from '../printers/PrinterForm.vue'
import TextLine from '../ui/TextLine.vue'

const { data, error, isLoading } = useQuery({
  queryKey: ['bench'],
  queryFn: () => get('/api/v1/bench'),
})
const adding = ref(false)
const words = ref('')
const due = ref(false)
const rows = computed(() => {
  const wanted = words.value.toLowerCase().split(/\s+/)
  return (data.value?.rows ?? []).filter((r) => {
    const said = [r.printer.name, r.printer.kind, r.job?.complaint, r.job?.customer, r.says]
      .join(' ')
      .toLowerCase()
    return (!due.value || r.due) && wanted.every((w) => said.includes(w))
  })
})
/* A new printer is there to be worked on: the hand is at its job. */
async function goOn(id: number) {
  words.value = ''
  due.value = false
  await nextTick()
  document.querySelector<HTMLElement>(`a[href="/jobs/new/${id}"]`)?.focus()
}
const next = computed(() => data.value?.rows.find((r) => r.printer.id === data.value?.now_printer))
</script>

<template>
  <section class="page">
    <p v-if="isLoading" class="quiet">Opening the bench …</p>
    <p v-else-if="error" class="error">{{ error.message }}</p>
    <template v-else-if="data">
      <div class="top">
        <div>
          <h2>What to do now</h2>
          <h1>{{ data.now }}</h1>
        </div>
        <RouterLink v-if="next?.job" class="act" :to="`/jobs/${next.job.id}/${next.now_key}`">
          Go to it
        </RouterLink>
        <NButton v-else-if="data.rows.length === 0" type="primary" @click="adding = true">
          Add a printer
        </NButton>
      </div>
      <div v-if="data.rows.length > 1" class="find">
        <TextLine id="bench-find" v-model="words" class="grow" label="Printer, complaint or customer" />
        <NCheckbox v-model:checked="due" class="due">
          What is due ({{ data.rows.filter((r) => r.due).length }} of {{ data.rows.length }})
        </NCheckbox>
      </div>
      <p v-if="data.rows.length > 0 && rows.length === 0" class="quiet" role="status">
        No printer like that.
      </p>
      <ul class="rows">
        <li v-for="r in rows" :key="r.printer.id" class="sheet">
          <div>
            <RouterLink class="name" :to="`/printers/${r.printer.id}`">{{ r.printer.name }}</RouterLink>
            <p class="quiet">{{ r.printer.kind }}</p>
            <p v-if="r.printer.unreadable" class="error">Its record can’t be read.</p>
          </div>
          <div>
            <p>
              <template v-if="r.job"
                ><span class="mono">job {{ r.job.id }}</span
                >: {{ r.job.complaint || 'planned change' }}</template
              >
            </p>
            <span :class="{ error: r.stopped, doubt: r.in_doubt }">{{ r.says }}</span>
            <RouterLink
              class="wrong"
              :to="r.case ? `/wrong/${r.case}` : `/wrong/new/${r.printer.id}`"
              :aria-label="`What is wrong with ${r.printer.name}?`"
              >{{ r.case ? `Looking for its cause: case ${r.case}` : 'What is wrong?' }}</RouterLink
            >
          </div>
          <div class="tally">
            <svg
              v-if="r.all"
              :viewBox="`0 0 ${r.all * 15} 16`"
              :width="r.all * 15"
              height="16"
              role="img"
              :aria-label="`${r.closed} of ${r.all} stations done`"
            >
              <circle
                v-for="k in r.all"
                :key="k"
                :cx="k * 15 - 7.5"
                cy="8"
                r="5"
                :class="k <= r.closed ? 'done' : 'open'"
              />
            </svg>
          </div>
          <RouterLink
            v-if="r.job"
            class="soft"
            :to="`/jobs/${r.job.id}`"
            :aria-label="`Go on with ${r.printer.name}`"
            >Go on</RouterLink
          >
          <RouterLink
            v-else
            class="soft"
            :to="`/jobs/new/${r.printer.id}`"
            :aria-label="`New job on ${r.printer.name}`"
            >New job</RouterLink
          >
        </li>
      </ul>
      <ul v-if="data.ask_again.length" class="again" aria-label="To be asked about again">
        <li v-for="a in data.ask_again" :key="a.case" :class="{ error: a.due }">
          {{ a.due ? 'Ask today' : `Ask on ${a.day}` }}:
          <RouterLink :to="`/wrong/${a.case}`">{{ a.printer }}, case {{ a.case }}</RouterLink>
          <span class="quiet"> {{ a.sentence }}</span>
        </li>
      </ul>
      <p v-if="data.rows.some((r) => r.printer.invented)" class="quiet">
        This workshop is invented: demo data.
      </p>
      <NButton v-if="data.rows.length > 0" @click="adding = true"> Add a printer </NButton>
      <p v-if="data.retired.length" class="quiet">
        Retired:
        <template v-for="(p, i) in data.retired" :key="p.id"
          >{{ i ? ', ' : '' }}<RouterLink :to="`/printers/${p.id}`">{{ p.name }}</RouterLink></template
        >
      </p>
      <PrinterForm v-model:shown="adding" @added="goOn" />
    </template>
  </section>
</template>

<style scoped>
.top {
  display: flex;
  justify-content: space-between;
  align-items: end;
  gap: 24px;
  margin-bottom: 18px;
}
.find {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 24px;
  align-items: end;
  margin-bottom: 12px;
}
.grow {
  flex: 0 1 420px;
}
.due {
  min-height: 44px;
  align-items: center;
}
.doubt {
  color: var(--caution);
}
.rows {
  list-style: none;
  margin: 0 0 14px;
  padding: 0;
  display: flex;
  flex-direction: column;
  gap: 7px;
}
.rows li {
  display: grid;
  grid-template-columns: 310px 1fr 190px 110px;
  gap: 20px;
  align-items: center;
  padding: 7px 16px;
}
.name {
  font-weight: 700;
  font-size: 19px;
}
.wrong {
  font-size: 15px;
  color: var(--ink2);
  margin-left: 12px;
  white-space: nowrap;
}
@media (pointer: coarse) {
  .wrong {
    display: flex;
    align-items: center;
    margin-left: 0;
    min-height: 44px;
  }
}
.again {
  list-style: none;
  margin: 0 0 14px;
  padding: 0;
}
.tally svg {
  max-width: 100%;
}
.done {
  fill: var(--ink);
  stroke: var(--ink);
}
.open {
  fill: none;
  stroke: var(--ink2);
  stroke-width: 1.5;
}
.soft {
  justify-content: center;
}
@media (max-width: 1000px) {
  .rows li {
    grid-template-columns: minmax(0, 1fr) auto;
    gap: 6px 14px;
  }
}
@media (max-width: 600px) {
  .top {
    flex-direction: column;
    align-items: stretch;
    gap: 10px;
  }
  .rows li {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
