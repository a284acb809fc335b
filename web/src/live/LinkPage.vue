<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { NButton, useMessage } from 'naive-ui'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'

import { ServerError, answer, client } from '../api/client'
import ChoiceRow from '../ui/ChoiceRow.vue'
import ReadingField from '../ui/ReadingField.vue'
import ConnectDialog from './ConnectDialog.vue'
import LiveCurve from './LiveCurve.vue'
import ReleaseButton from './ReleaseButton.vue'
import RoutineBar from './RoutineBar.vue'
import { short, useLive, useLivePrinter } from './useLive'
import TextLine from '../ui/TextLine.vue'
import WideTable from '../ui/WideTable.vue'

const route = useRoute()
const message = useMessage()
const id = computed(() => Number(route.params.id))
const { printer, running } = useLivePrinter(id)
const { stop } = useLive()
const { data: page, error } = useQuery({
  queryKey: ['printer', id],
  queryFn: () => answer(client.GET('/api/v1/printers/{id}', { params: { path: { id: id.value } } })),
})
const find = ref('')
const wanted = refDebounced(find, 250)
const { data: wire, refetch } = useQuery({
  queryKey: ['wire', id, wanted],
  queryFn: () =>
    answer(
      client.GET('/api/v1/printers/{id}/wire', {
        params: { path: { id: id.value }, query: { find: wanted.value || undefined } },
      }),
    ),
  refetchInterval: 2000,
})
/* Whose curve is shown: the first nozzle's until another is picked. */
const heaters = computed(() =>
  (printer.value?.metal ?? []).map((m) => ({
    value: `${m.heater.kind}${m.heater.kind === 'tool' ? m.heater.number : ''}`,
    label: short(m),
    ...m,
  })),
)
const of = ref('tool0')
const shown = computed(() => heaters.value.find((h) => h.value === of.value))
const connecting = ref(false)
const line = ref('')
const refused = ref('')
const sending = ref(false)
/* The guard asks whether a line is meant. */
const asked = ref(false)
const at = (t: string) => {
  const when = new Date(t)
  return Number.isNaN(when.getTime()) ? t : when.toLocaleTimeString('en-GB')
}
const way = { sent: 'sent', answered: 'answered', noted: 'noted' } as Record<string, string>

async function send(confirmed = false) {
  refused.value = ''
  asked.value = false
  sending.value = true
  try {
    await answer(
      client.POST('/api/v1/printers/{id}/send', {
        params: { path: { id: id.value } },
        body: { line: line.value, confirmed },
      }),
    )
    line.value = ''
  } catch (e) {
    if (e instanceof ServerError) {
      refused.value = e.problem.detail
      asked.value = e.problem.code === 'asks'
    }
  } finally {
    sending.value = false
    void refetch()
  }
}
async function heatersOff() {
  const why = await stop(id.value, 'heaters_off')
  if (why)
    message.error(`${why} Switch the printer off at its mains switch.`, { duration: 0, closable: true })
}
async function disconnect() {
  try {
    const got = await answer(
      client.DELETE('/api/v1/printers/{id}/link', { params: { path: { id: id.value } } }),
    )
    message.info(got.says)
  } catch (e) {
    if (e instanceof ServerError) message.error(e.problem.detail)
  }
}
</script>

<template>
  <p v-if="error" class="page error">{{ error.message }}</p>
  <section v-else-if="page" class="page">
    <div class="top">
      <div>
        <h1>{{ page.printer.name }}: {{ printer ? printer.says : 'not connected' }}</h1>
        <p class="quiet">
          <template v-if="printer">{{ printer.status.says }} {{ printer.status.address }}. </template>
          <RouterLink :to="`/printers/${id}`">Parts and values</RouterLink>{{ ' · ' }}
          <RouterLink :to="`/wrong/new/${id}`">What is wrong with it?</RouterLink>
        </p>
      </div>
      <div class="ways">
        <template v-if="printer">
          <ReleaseButton
            v-if="printer.status.state === 'halted'"
            :class="printer.stop ? 'soft' : 'act'"
            :printer="id"
          />
          <NButton @click="heatersOff">Heaters off</NButton>
          <NButton @click="disconnect">Disconnect</NButton>
        </template>
        <NButton v-else type="primary" @click="connecting = true">Connect</NButton>
      </div>
    </div>
    <p v-if="printer" class="warn" role="note">
      <strong>Warning.</strong> Heat can be switched on from here. Stay with the printer, hands and sleeves
      off the hot end, ventilate. Mains-side work is for a licensed electrician under the local code.
    </p>
    <RoutineBar v-if="running" :printer="id" :routine="running" />
    <template v-if="printer">
      <ChoiceRow v-if="heaters.length > 1" v-model="of" name="curve-of" label="Curve of" :options="heaters" />
      <LiveCurve :printer="id" :seconds="1200" :height="250" :heater="shown?.heater" :name="shown?.name" />
    </template>
    <h2 class="gap">What was sent and answered</h2>
    <div class="tools">
      <div class="find">
        <TextLine id="find-wire" v-model="find" label="Find in it" />
      </div>
      <form v-if="printer" class="send" @submit.prevent="send()">
        <ReadingField v-model="line" path="line" label="Send a command" words small />
        <NButton attr-type="submit" :disabled="sending || !line.trim()">Send</NButton>
      </form>
    </div>
    <p v-if="refused" class="error" role="alert">
      {{ refused }}
      <NButton v-if="asked" @click="send(true)">It is meant: send it</NButton>
    </p>
    <!-- It scrolls, so the keyboard must reach it. -->
    <div class="wire" tabindex="0" role="region" aria-label="What was sent and answered">
      <p v-if="wire && wire.length === 0" class="quiet">
        {{ find ? 'No line like that.' : 'Nothing was sent yet. Connect the printer.' }}
      </p>
      <WideTable v-else>
        <tbody>
          <tr v-for="w in wire ?? []" :key="w.id" :class="w.way">
            <td class="mono">{{ at(w.at) }}</td>
            <td>{{ way[w.way] }}</td>
            <td class="mono line">{{ w.text }}</td>
          </tr>
        </tbody>
      </WideTable>
    </div>
    <ConnectDialog v-model:shown="connecting" :printer="id" :name="page.printer.name" />
  </section>
  <p v-else class="page quiet">Opening the printer …</p>
</template>

<style scoped>
.page {
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.top {
  display: flex;
  justify-content: space-between;
  gap: 20px;
  align-items: start;
}
.warn {
  border-left: 5px solid var(--stop);
  padding-left: 12px;
  font-size: 15px;
}
.warn strong {
  color: var(--stop);
}
.gap {
  margin-top: 6px;
}
.tools {
  display: grid;
  grid-template-columns: 1fr 1.4fr;
  gap: 20px;
  align-items: end;
}
.send {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 8px;
  align-items: end;
}
.wire {
  max-height: 320px;
  overflow: auto;
  background: var(--sheet);
  border: 1px solid var(--rule);
  padding: 6px 12px;
}
td {
  padding: 2px 14px 2px 0;
  vertical-align: top;
}
td:nth-child(-n + 2) {
  color: var(--ink2);
  white-space: nowrap;
  width: 1%;
}
.line {
  overflow-wrap: anywhere;
}
.sent .line {
  font-weight: 700;
}
.noted .line {
  color: var(--accentInk);
  font-family: var(--text);
}
@media (max-width: 800px) {
  .tools {
    grid-template-columns: minmax(0, 1fr);
  }
  .send {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
