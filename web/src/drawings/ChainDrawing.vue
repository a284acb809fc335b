<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Schemas } from '../api/client'

/* A printer's parameters as links hung in the order of work. A link that a replaced part opened is
   drawn open; what it rests on lights up while it has the focus. */
const props = defineProps<{ chain: Schemas['ChainLink'][] }>()
const shown = ref<string | null>(null)
const width = 176
const spots = computed(() =>
  props.chain.map((link, i) => {
    const row = Math.floor(i / 5)
    const column = row % 2 === 0 ? i % 5 : 4 - (i % 5)
    return { link, x: 14 + column * (width + 18), y: 12 + row * 116 }
  }),
)
const joins = computed(() =>
  spots.value.slice(1).map((b, i) => {
    const a = spots.value[i]
    if (!a) return ''
    return a.y === b.y
      ? `M${Math.min(a.x, b.x) + width} ${a.y + 36}h18`
      : `M${a.x + width - 14} ${a.y + 72}V${b.y}`
  }),
)
const current = computed(() => props.chain.find((l) => l.parameter === shown.value))
const rests = (p: string) => current.value?.rests_on.includes(p as Schemas['Parameter']) ?? false
/* A value without its filament's name, which the caption gives, short enough for the link. */
const short = (text: string | undefined) => (text?.split(': ').at(-1) ?? '–').slice(0, 18)
const hangs = (parts: string[]) => {
  const shown = parts.filter((_, i) => parts.slice(0, i + 1).join(', ').length < 25)
  return shown.length < parts.length
    ? `${shown.join(', ')} +${parts.length - shown.length}`
    : shown.join(', ')
}
const word = {
  holds: 'holds',
  open: 'open',
  conditional: 'maybe',
  in_doubt: 'in doubt',
  never_set: 'no value yet',
}
</script>

<template>
  <figure>
    <svg viewBox="0 0 990 346" role="list" aria-label="Chain of this printer's parameters">
      <path v-for="(j, i) in joins" :key="i" :d="j" class="line" />
      <g
        v-for="s in spots"
        :key="s.link.parameter"
        role="listitem"
        tabindex="0"
        :aria-label="`${s.link.label}: ${s.link.values.join('; ') || 'no value'}. ${s.link.reason}`"
        :class="['link', s.link.state, { rest: rests(s.link.parameter) }]"
        @focus="shown = s.link.parameter"
        @mouseenter="shown = s.link.parameter"
      >
        <rect :x="s.x" :y="s.y" :width="width" height="72" rx="16" class="ring" />
        <rect
          v-if="s.link.state === 'open'"
          :x="s.x + 120"
          :y="s.y - 5"
          width="26"
          height="12"
          class="break"
        />
        <text :x="s.x + 14" :y="s.y + 24" class="name">{{ s.link.label }}</text>
        <text :x="s.x + 14" :y="s.y + 44" class="value">{{ short(s.link.values[0]) }}</text>
        <text :x="s.x + 14" :y="s.y + 62" class="state">
          {{ word[s.link.state] }}{{ s.link.values.length > 1 ? `, ${s.link.values.length} filaments` : '' }}
        </text>
        <text :x="s.x + 14" :y="s.y + 90" class="hangs">{{ hangs(s.link.parts) }}</text>
      </g>
    </svg>
    <figcaption role="status">
      <template v-if="current">
        {{ current.reason }}
        <span class="quiet"> Rests on {{ current.parts.join(', ') }}. {{ current.values.join('; ') }}</span>
      </template>
      <template v-else>Point at a link, or reach it with Tab, to read why it holds or not.</template>
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
}
svg {
  width: 100%;
}
.ring {
  fill: var(--sheet);
  stroke: var(--ink);
  stroke-width: 3;
}
.link {
  outline: none;
}
.link:focus-visible .ring {
  stroke-width: 5;
}
.open .ring {
  stroke: var(--accent);
}
.open .state {
  fill: var(--accent);
  font-weight: 700;
}
.break {
  fill: var(--paper);
}
.conditional .ring,
.never_set .ring {
  stroke-dasharray: 7 5;
  stroke-width: 2;
}
.in_doubt .ring {
  stroke: var(--caution);
  stroke-dasharray: 7 5;
}
.in_doubt .state {
  fill: var(--caution);
}
.rest .ring {
  fill: var(--wash);
}
.name {
  font: 700 15px var(--text);
}
.value {
  font-size: 13.5px;
}
.state {
  font: 14px var(--text);
  fill: var(--ink2);
}
.hangs {
  font: 12.5px var(--text);
  fill: var(--ink2);
}
figcaption {
  min-height: 46px;
}
</style>
