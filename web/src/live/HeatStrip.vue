<script setup lang="ts">
import { useMessage } from 'naive-ui'

import { ServerError, answer, client } from '../api/client'
import { heatWord } from '../api/words'
import { useLive, type LivePrinter } from './useLive'

const { printers, gone } = useLive()
const message = useMessage()

/* A bar from 0 to 300 °C; only ink is placed here. */
const W = 150
const at = (c: number) => Math.max(0, Math.min(W, (c / 300) * W))
const degrees = (c: number | null | undefined) => (c == null ? '–' : `${c.toFixed(0)}°`)
const temps = (p: LivePrinter) => p.status.temperatures
async function stop(p: LivePrinter) {
  try {
    await answer(client.POST('/api/v1/printers/{id}/stop', { params: { path: { id: p.printer_id } } }))
  } catch (e) {
    if (e instanceof ServerError)
      message.error(`${e.problem.detail} Switch ${p.name} off at its switch.`, {
        duration: 0,
        closable: true,
      })
  }
}
</script>

<template>
  <footer v-if="printers.length || gone" class="strip no-print" aria-label="Heat of connected printers">
    <p v-if="gone" class="gone" role="alert">
      The server does not answer: what is hot now can’t be known from this page. Look at the printers.
    </p>
    <ul v-else>
      <li v-for="p in printers" :key="p.printer_id">
        <div class="who">
          <RouterLink :to="`/printers/${p.printer_id}/link`">{{ p.name }}</RouterLink>
          <strong class="word" :class="p.nozzle">{{ heatWord[p.nozzle] }}</strong>
          <span class="mono">{{ degrees(temps(p)?.nozzle_c) }}</span>
        </div>
        <svg
          :viewBox="`0 0 ${W} 26`"
          :width="W"
          height="26"
          role="img"
          :aria-label="`${p.name}: nozzle ${degrees(temps(p)?.nozzle_c)}, target ${degrees(temps(p)?.nozzle_target_c)}, bed ${degrees(temps(p)?.bed_c)}`"
        >
          <rect x="0.5" y="3" :width="W - 1" height="10" class="frame" />
          <rect x="0.5" y="17" :width="W - 1" height="6" class="frame" />
          <template v-if="temps(p) && p.status.fresh">
            <rect
              x="0.5"
              y="3"
              :width="at(temps(p)?.nozzle_c ?? 0)"
              height="10"
              :class="['fill', p.nozzle]"
            />
            <rect x="0.5" y="17" :width="at(temps(p)?.bed_c ?? 0)" height="6" :class="['fill', p.bed]" />
            <path
              v-if="temps(p)?.nozzle_target_c"
              :d="`M${at(temps(p)?.nozzle_target_c ?? 0)} 0V15`"
              class="target"
            />
          </template>
          <path :d="`M${at(48)} 1V24`" class="touch" />
        </svg>
        <p class="says">
          <span v-if="p.routine && !p.routine.done" class="doing">{{ p.routine.progress.says }}.</span>
          {{ p.says }}
        </p>
        <button type="button" class="stop" :aria-label="`Emergency stop of ${p.name}`" @click="stop(p)">
          Stop
        </button>
      </li>
    </ul>
  </footer>
</template>

<style scoped>
.strip {
  border-top: 1px solid var(--ink);
  background: var(--sheet);
  overflow-x: auto;
}
.gone {
  padding: 14px 20px;
  color: var(--stop);
  font-weight: 700;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  display: flex;
}
li {
  display: grid;
  grid-template-columns: auto auto minmax(120px, 1fr) auto;
  gap: 14px;
  align-items: center;
  padding: 5px 14px;
  flex: 1 0 470px;
  border-right: 1px solid var(--rule);
  min-height: 56px;
}
.who {
  display: grid;
  grid-template-columns: auto auto;
  gap: 0 8px;
  align-items: baseline;
}
.who a {
  grid-column: 1 / -1;
  font-weight: 700;
}
.word {
  font-size: 15px;
}
.word.hot,
.word.unknown {
  color: var(--stop);
}
.word.warm {
  color: var(--caution);
}
.word.safe {
  color: var(--pass);
}
.says {
  font-size: 14px;
  line-height: 1.25;
}
.doing {
  display: block;
}
.doing::first-letter {
  text-transform: uppercase;
}
.frame {
  fill: none;
  stroke: var(--ink2);
}
.fill.hot,
.fill.unknown {
  fill: var(--stop);
}
.fill.warm {
  fill: var(--caution);
}
.fill.safe {
  fill: var(--pass);
}
.target {
  stroke: var(--ink);
  stroke-width: 2.5;
}
.touch {
  stroke: var(--ink);
  stroke-dasharray: 2 2;
}
.stop {
  font: inherit;
  font-weight: 700;
  min-width: 76px;
  min-height: 44px;
  color: var(--stop);
  background: var(--paper);
  border: 2px solid var(--stop);
  border-radius: 2px;
  cursor: pointer;
}
</style>
