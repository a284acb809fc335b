<script setup lang="ts">
import { NButton } from 'naive-ui'
import { useCssVar, useElementBounding, useMediaQuery } from '@vueuse/core'
import { computed, reactive, ref, watchEffect } from 'vue'

import { heatWord } from '../api/words'
import HeatWords from './HeatWords.vue'
import { short, useLive, type LivePrinter } from './useLive'
import { usePen } from '../app/pen'

const { printers, gone, silentSince, silentFor, stop } = useLive()
/* What a stop could not do, by printer: it stays until the next try. */
const failed = reactive<Record<number, string>>({})
const trying = reactive<Record<number, boolean>>({})

/* It lies over everything, dialogs and drawers too: whoever reaches down to the bottom leaves it room. */
const strip = ref<HTMLElement>()
const { height } = useElementBounding(strip)
const room = useCssVar('--strip')
watchEffect(() => (room.value = `${Math.round(height.value)}px`))

const narrow = useMediaQuery('(max-width: 720px)')
const apart = computed(() => narrow.value || printers.value.length > 2)
const urgent = (p: LivePrinter) => p.alarm || p.left_over || failed[p.printer_id]
/* Where there is little room, words stand apart too: on a narrow screen those that must be read, else all
   that aren't plainly safe. */
const worded = computed(() =>
  printers.value.filter(
    (p) =>
      urgent(p) ||
      (apart.value && !gone.value && (p.stop || p.idle_off_in_s != null)) ||
      (apart.value && !narrow.value && !gone.value && p.worst !== 'safe'),
  ),
)

/* A bar from 0 to 300 °C; only ink is placed here. */
const W = 150
const at = (c: number) => Math.max(0, Math.min(W, (c / 300) * W))
const { temperatureNumber } = usePen()
const degrees = (c: number) => `${temperatureNumber(c).toFixed(0)}°`
const word = (p: LivePrinter) => (gone.value ? 'unknown' : p.worst)
type Metal = LivePrinter['metal'][number]
const reads = (m: Metal) => degrees(m.at_c) + (m.target_c > 0 ? ` to ${degrees(m.target_c)}` : '')
const drawn = (p: LivePrinter) =>
  `${p.name}: ` + (p.metal.map((m) => `${short(m)} ${reads(m)}`).join(', ') || 'nothing reported')

async function tryStop(p: LivePrinter, kind: 'stop' | 'heaters_off') {
  if (trying[p.printer_id]) return
  trying[p.printer_id] = true
  delete failed[p.printer_id]
  const why = await stop(p.printer_id, kind)
  if (why)
    failed[p.printer_id] =
      `The stop could not be handed over: ${why} Switch ${p.name} off at its mains switch.`
  trying[p.printer_id] = false
}
</script>

<template>
  <footer
    v-if="printers.length || gone"
    ref="strip"
    class="strip no-print"
    aria-label="Heat of connected printers"
  >
    <p v-if="gone" class="gone" role="alert">
      No word from the server since {{ silentSince?.toLocaleTimeString('en-GB') }} ({{ silentFor }} s). What
      is hot now can’t be known from this page: look at the printers.
    </p>
    <ul class="tiles" :class="{ many: apart }" aria-label="Heaters">
      <li v-for="p in printers" :key="p.printer_id" :aria-label="p.name">
        <div class="who">
          <RouterLink :to="`/printers/${p.printer_id}/link`" :title="p.name">{{ p.name }}</RouterLink>
          <strong class="word" :class="word(p)">{{ heatWord[word(p)] }}</strong>
        </div>
        <p class="metal mono">
          <span v-if="gone">was</span>
          <span v-for="m in p.metal" :key="m.name" :class="['one', m.word]">
            {{ short(m) }} {{ reads(m) }}
          </span>
        </p>
        <svg :viewBox="`0 0 ${W} 26`" :width="W" height="26" role="img" :aria-label="drawn(p)">
          <rect x="0.5" y="3" :width="W - 1" height="10" class="frame" />
          <rect x="0.5" y="17" :width="W - 1" height="6" class="frame" />
          <template v-if="p.status.fresh && !gone">
            <template v-for="m in p.metal" :key="m.name">
              <rect
                x="0.5"
                :y="m.heater.kind === 'tool' ? 3 : 17"
                :width="at(m.at_c)"
                :height="m.heater.kind === 'tool' ? 10 : 6"
                :class="['fill', m.word]"
              />
              <path
                v-if="m.target_c"
                :d="`M${at(m.target_c)} ${m.heater.kind === 'tool' ? '0V15' : '15V25'}`"
                class="target"
              />
            </template>
          </template>
          <path :d="`M${at(48)} 1V24`" class="touch" />
        </svg>
        <HeatWords v-if="!apart" class="says" :printer="p" :gone="gone" plain />
        <NButton
          class="stop"
          type="error"
          strong
          ghost
          :aria-label="`Emergency stop of ${p.name}`"
          :loading="trying[p.printer_id]"
          @click="tryStop(p, 'stop')"
        >
          Stop
        </NButton>
      </li>
    </ul>
    <!-- Below all tiles, so that words push no Stop off the screen. -->
    <ul v-if="worded.length" class="words" aria-label="What the printers need">
      <li v-for="p in worded" :key="p.printer_id">
        <strong :class="{ alone: printers.length === 1 }" :title="p.name">{{ p.name }}</strong>
        <HeatWords
          :printer="p"
          :gone="gone"
          :failed="failed[p.printer_id]"
          urgent
          :plain="apart"
          @off="tryStop(p, 'heaters_off')"
        />
      </li>
    </ul>
  </footer>
</template>

<style scoped>
.strip {
  position: sticky;
  /* Above every dialog: a stop is never covered. */
  z-index: 9000;
  left: 0;
  width: 100%;
  max-width: 100vw;
  border-top: 1px solid var(--ink);
  background: var(--sheet);
  max-height: 46vh;
  overflow-y: auto;
}
.gone {
  padding: 8px 16px;
  color: var(--stop);
  font-weight: 700;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
.tiles {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(300px, 100%), 1fr));
}
.tiles li {
  display: grid;
  grid-template-columns: minmax(150px, 230px) auto minmax(0, 1fr) auto;
  grid-template-areas: 'who bar says stop' 'metal bar says stop';
  gap: 0 14px;
  align-content: center;
  align-items: center;
  padding: 5px 14px;
  border-right: 1px solid var(--rule);
  border-bottom: 1px solid var(--rule);
  min-height: 58px;
  min-width: 0;
}
.many.tiles li {
  grid-template-columns: minmax(0, 1fr) auto;
  grid-template-areas: 'who stop' 'metal stop';
  gap: 0 10px;
  padding: 4px 10px;
}
.many svg {
  display: none;
}
.who {
  grid-area: who;
  display: flex;
  gap: 8px;
  align-items: baseline;
  min-width: 0;
}
.who a {
  font-weight: 700;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  max-width: 220px;
}
.metal {
  grid-area: metal;
  font-size: 14px;
  display: flex;
  flex-wrap: wrap;
  gap: 0 10px;
}
.one.hot,
.one.unknown {
  font-weight: 700;
}
svg {
  width: 112px;
  grid-area: bar;
}
.word {
  font-size: 15px;
  flex: none;
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
  grid-area: says;
}
.words {
  display: block;
  border-top: 1px solid var(--ink);
  padding: 4px 10px 6px;
}
.words li {
  display: flex;
  gap: 2px 10px;
  flex-wrap: wrap;
  min-height: 0;
  border: 0;
  padding: 1px 0;
  font-size: 14px;
  line-height: 1.25;
}
.words .alone {
  display: none;
}
.words strong {
  max-width: 220px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
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
  grid-area: stop;
  min-width: 76px;
  min-height: 44px;
}
/* Where there is no room for both, the words stay. */
@media (max-width: 1100px) {
  svg {
    display: none;
  }
}
@media (max-width: 720px) {
  .many.tiles li {
    grid-template-columns: minmax(0, 1fr) auto;
    grid-template-areas: 'who stop' 'metal stop';
    gap: 0 10px;
    padding: 3px 10px;
    min-height: 50px;
  }
}
</style>
