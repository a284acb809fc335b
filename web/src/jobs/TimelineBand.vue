<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed } from 'vue'

import { answer, client } from '../api/client'
import { useDeed } from './deed'

/* What is left of a job on the clock, from now on: power, nozzle, and what it waits for. Drawn to the minute. */
const props = defineProps<{ job: number; narrow: boolean }>()
const { data } = useQuery({
  queryKey: ['job', () => props.job, 'timeline'],
  queryFn: () => answer(client.GET('/api/v1/jobs/{id}/timeline', { params: { path: { id: props.job } } })),
  refetchInterval: 20_000,
})
const { tell } = useDeed()
/** How far the band looks ahead, in minutes. */
const AHEAD = 60
const word = { work: 'hands', runs: 'runs', heats: 'heats', cools: 'cools' }
const view = computed(() => {
  const t = data.value?.timeline
  if (!t) return null
  const span = Math.min(AHEAD, Math.max(10, t.total_min))
  const x = (min: number) => (Math.min(min, span) / span) * 100
  const top = Math.max(t.hottest_c, 60)
  const y = (c: number) => 66 - (c / top) * 58
  const legs = t.legs
    .filter((l) => l.from_min < span)
    .map((l, i) => ({
      ...l,
      id: i,
      left: x(l.from_min),
      wide: x(l.to_min) - x(l.from_min),
      says: `${l.title}: ${word[l.kind]} ${Math.ceil(l.to_min - l.from_min)} min`,
    }))
  const line = legs.map((l) => {
    const [from = 0, to = 0] = l.nozzle_c
    const share = l.to_min > span ? (span - l.from_min) / (l.to_min - l.from_min) : 1
    const end = from + (to - from) * share
    return `${l.left},${y(from)} ${l.left + l.wide},${y(end)}`
  })
  const ticks = []
  for (let m = 10; m < span; m += 10) ticks.push({ m, left: x(m) })
  return { legs, line: line.join(' '), ticks, more: t.total_min > span, total: t.total_min }
})
</script>

<template>
  <ul v-if="data?.timers.length" class="timers" aria-label="Timers">
    <li v-for="t in data.timers" :key="t.what" :class="{ over: t.over }">
      <span :role="t.over ? 'alert' : undefined">{{ t.says }}</span>
      <NButton
        :aria-label="`End the timer: ${t.what}`"
        @click="tell(job, { deed: 'timer_over', what: t.what })"
      >
        End it
      </NButton>
    </li>
  </ul>
  <section v-if="data && view && view.legs.length" class="clock" aria-label="Clock of this job">
    <p class="says" :title="data.says">
      <strong v-if="data.machine">Now {{ data.machine }}.</strong>
      {{ data.says }}
      <span v-if="data.elsewhere && !narrow" class="quiet">Or {{ data.elsewhere }}</span>
    </p>
    <div
      v-if="!narrow"
      class="band"
      role="img"
      :aria-label="`The next hour: ${view.legs.map((l) => l.says).join('; ')}`"
    >
      <div
        v-for="l in view.legs"
        :key="l.id"
        class="leg"
        :class="[l.kind, l.power]"
        :style="{ left: `${l.left}%`, width: `${l.wide}%` }"
        :title="l.says"
      >
        <span v-if="l.wide > 14 && l.kind !== 'work'">{{ word[l.kind] }}</span>
      </div>
      <svg viewBox="0 0 100 100" preserveAspectRatio="none" aria-hidden="true">
        <polyline :points="view.line" vector-effect="non-scaling-stroke" />
      </svg>
      <span v-for="t in view.ticks" :key="t.m" class="tick" :style="{ left: `${t.left}%` }"
        >{{ t.m }}{{ t.m === 10 ? ' min' : '' }}</span
      >
    </div>
  </section>
</template>

<style scoped>
.timers {
  list-style: none;
  margin: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 20px;
  padding: 2px 16px;
  border-bottom: 1px solid var(--rule);
}
.timers li {
  display: flex;
  align-items: center;
  gap: 10px;
  margin: 0;
}
.over {
  font-weight: 700;
  color: var(--stop);
}
.clock {
  display: flex;
  align-items: stretch;
  gap: 16px;
  padding: 0 16px;
  border-bottom: 1px solid var(--rule);
  background: var(--sheet);
  min-height: 40px;
}
.says {
  flex: 1 1 46%;
  margin: 0;
  padding: 6px 0;
  font-size: 14px;
  line-height: 1.3;
  align-self: center;
  max-height: 3.2em;
  overflow: hidden;
}
.band {
  flex: 1 1 54%;
  position: relative;
  overflow: hidden;
  border-left: 2px solid var(--ink);
  border-right: 1px solid var(--rule);
}
.leg {
  position: absolute;
  top: 0;
  bottom: 0;
  border-right: 1px solid var(--rule);
  font-size: 12px;
  color: var(--ink2);
  padding: 2px 4px;
  overflow: hidden;
}
.leg.unplugged {
  background: repeating-linear-gradient(45deg, transparent 0 5px, var(--rule) 5px 6px);
}
.leg.heats,
.leg.cools {
  background: color-mix(in srgb, var(--caution) 14%, transparent);
}
svg {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
polyline {
  fill: none;
  stroke: var(--accent);
  stroke-width: 2;
}
.tick {
  position: absolute;
  bottom: 0;
  font-size: 11px;
  color: var(--ink2);
  transform: translateX(-50%);
}
.tick::before {
  content: '';
  position: absolute;
  left: 50%;
  bottom: 13px;
  height: 4px;
  border-left: 1px solid var(--ink2);
}
</style>
