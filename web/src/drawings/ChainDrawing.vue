<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Schemas } from '../api/client'

/* What rests on what: parts at the left, the parameters hung below what they rest on. Point at a part, and
   what it shakes is inked; point at a parameter, and what holds it is. */
const props = defineProps<{
  chain: Schemas['ChainLink'][]
  /** Names of the parts that the open job replaced. */
  replaced: string[]
}>()
const shown = ref<{ part?: string; parameter?: string } | null>(null)
const W = 170
const H = 62
const LEFT = 236
const COLUMN = 194
const ROW = 116
/* Column and row of each parameter: what rests on another hangs below it, or follows it in the row. */
const PLACES: Record<Schemas['Parameter'], [number, number]> = {
  sensor_type: [0, 0],
  drive: [1, 0],
  profile: [2, 0],
  tram: [3, 0],
  ceiling: [0, 1],
  heater_loop: [1, 1],
  offset_xy: [2, 1],
  offset_z: [3, 1],
  print_temp: [0, 2],
  volumetric_limit: [1, 2],
  flow: [2, 2],
  pressure_advance: [3, 2],
  retraction: [3, 3],
}
const spots = computed(() =>
  props.chain.map((link) => {
    const [column, row] = PLACES[link.parameter]
    return { link, row, x: LEFT + 44 + column * COLUMN, y: 10 + row * ROW }
  }),
)
const height = computed(() => Math.max(3 * ROW + H + 24, parts.value.length * 24 + 24))
const at = (p: string) => spots.value.find((s) => s.link.parameter === p)
const parts = computed(() => {
  const names = [...new Set(props.chain.flatMap((l) => l.parts))]
  return names.map((name, i) => ({ name, y: 28 + i * 24, replaced: props.replaced.includes(name) }))
})
const above = (p: string): string[] => {
  const link = props.chain.find((l) => l.parameter === p)
  return link ? [p, ...link.rests_on.flatMap(above)] : []
}
/* What a link rests on through another is not drawn twice. */
const nearest = (link: Schemas['ChainLink']) =>
  link.rests_on.filter((p) => !link.rests_on.some((q) => q !== p && above(q).includes(p)))
/** Lines in right angles, past the boxes: down, across in the gap between rows, down again. */
const joins = computed(() =>
  spots.value.flatMap((s) =>
    nearest(s.link).flatMap((up, i, all) => {
      const a = at(up)
      if (!a) return []
      const [from, to] = [a.x + W / 2, s.x + W / 2 + (i - (all.length - 1) / 2) * 14]
      // Beside the second column of boxes there is a way down through all rows.
      const past = LEFT + 44 + 2 * COLUMN - (COLUMN - W) / 2 - 8 + i * 6
      const d =
        a.row === s.row
          ? `M${a.x + W} ${a.y + H / 2}H${s.x}`
          : s.row === a.row + 1
            ? `M${from} ${a.y + H}V${s.y - 20 - i * 6}H${to}V${s.y}`
            : `M${from} ${a.y + H}V${a.y + H + 14 + i * 6}H${past}V${s.y - 20 - i * 6}H${to}V${s.y}`
      return [{ from: up, to: s.link.parameter, d }]
    }),
  ),
)
/** Parameters that are inked. */
const inked = computed(() => {
  const { part, parameter } = shown.value ?? {}
  if (part)
    return new Set(props.chain.filter((l) => l.parts.includes(part)).map((l) => l.parameter as string))
  return new Set(parameter ? above(parameter) : [])
})
const current = computed(() => props.chain.find((l) => l.parameter === shown.value?.parameter))
const shaken = computed(() =>
  props.chain.filter((l) => inked.value.has(l.parameter)).map((l) => l.label.toLowerCase()),
)
/** Lines from the parts that are pointed at, or that were replaced, to what they shake. */
const hangers = computed(() => {
  const wanted = shown.value?.part ? [shown.value.part] : shown.value ? [] : props.replaced
  return parts.value
    .filter((p) => wanted.includes(p.name) || current.value?.parts.includes(p.name))
    .flatMap((p) =>
      spots.value
        .filter((s) => (current.value ? s.link === current.value : s.link.parts.includes(p.name)))
        .map(
          (s) =>
            `M${LEFT} ${p.y - 5}C${LEFT + 60} ${p.y - 5} ${s.x - 46} ${s.y + H / 2} ${s.x} ${s.y + H / 2}`,
        ),
    )
})
/* A value without its filament's name, which the caption gives, short enough for the link. */
const short = (text: string | undefined) => {
  const value = text?.split(': ').at(-1) ?? '–'
  return value.length > 17 ? `${value.slice(0, 16)}…` : value
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
    <!-- It scrolls sideways on a phone, so the keyboard must reach it. -->
    <div class="sideways" tabindex="0" role="region" aria-label="What rests on what">
      <svg :viewBox="`0 0 1040 ${height}`" @mouseleave="shown = null">
        <g role="list" aria-label="Parts">
          <g
            v-for="p in parts"
            :key="p.name"
            role="listitem"
            tabindex="0"
            :aria-label="`${p.name}${p.replaced ? ', replaced in the open job' : ''}`"
            :class="[
              'part',
              { replaced: p.replaced, on: shown?.part === p.name || current?.parts.includes(p.name) },
            ]"
            @focus="shown = { part: p.name }"
            @mouseenter="shown = { part: p.name }"
          >
            <rect x="0" :y="p.y - 18" :width="LEFT - 8" height="25" class="hit" />
            <text x="8" :y="p.y">{{ p.name }}</text>
            <circle :cx="LEFT - 4" :cy="p.y - 5" r="4" />
          </g>
        </g>
        <path v-for="(d, i) in hangers" :key="i" :d="d" class="hanger" />
        <path
          v-for="j in joins"
          :key="`${j.from} ${j.to}`"
          :d="j.d"
          :class="['join', { on: inked.has(j.from) && inked.has(j.to) }]"
        />
        <g role="list" aria-label="Chain of this printer’s parameters">
          <g
            v-for="s in spots"
            :key="s.link.parameter"
            role="listitem"
            tabindex="0"
            :aria-label="`${s.link.label}: ${s.link.values.join('; ') || 'no value'}. ${s.link.reason}`"
            :class="['link', s.link.state, { on: inked.has(s.link.parameter) }]"
            @focus="shown = { parameter: s.link.parameter }"
            @mouseenter="shown = { parameter: s.link.parameter }"
          >
            <rect :x="s.x" :y="s.y" :width="W" :height="H" rx="2" class="ring" />
            <text :x="s.x + 10" :y="s.y + 20" class="name">{{ s.link.label }}</text>
            <text :x="s.x + 10" :y="s.y + 38" class="value">{{ short(s.link.values[0]) }}</text>
            <text :x="s.x + 10" :y="s.y + 55" class="state">
              {{ word[s.link.state]
              }}{{ s.link.values.length > 1 ? `, ${s.link.values.length} filaments` : '' }}
            </text>
          </g>
        </g>
      </svg>
    </div>
    <figcaption role="status">
      <template v-if="current">
        {{ current.reason }}
        <span class="quiet"> Hangs on {{ current.parts.join(', ') }}. {{ current.values.join('; ') }}</span>
      </template>
      <template v-else-if="shown?.part">
        A new {{ shown.part }} can shake: {{ shaken.join(', ') || 'nothing' }}.
      </template>
      <template v-else-if="replaced.length">
        Replaced in the open job: {{ replaced.join(', ') }}. Lines go to what that can shake.
      </template>
      <template v-else>Point at a part to see what it shakes, or at a value to see what holds it.</template>
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
}
.sideways {
  overflow-x: auto;
}
svg {
  width: 100%;
  min-width: 960px;
  display: block;
}
.part,
.link {
  outline: none;
}
.hit {
  fill: transparent;
}
.part text {
  font: 15px var(--text);
}
.part circle {
  fill: var(--paper);
  stroke: var(--ink2);
  stroke-width: 1.5;
}
.part.on .hit {
  fill: var(--wash);
}
.part.replaced text {
  font-weight: 700;
  fill: var(--accentInk);
}
.part.replaced circle,
.part.on circle {
  fill: var(--accent);
  stroke: var(--accent);
}
.part:focus-visible .hit {
  stroke: var(--accent);
  stroke-width: 2;
}
.hanger {
  fill: none;
  stroke: var(--accent);
  stroke-opacity: 0.55;
  stroke-width: 1.4;
}
.join {
  fill: none;
  stroke: var(--ink2);
  stroke-opacity: 0.55;
  stroke-width: 1.4;
}
.join.on {
  stroke: var(--ink);
  stroke-opacity: 1;
  stroke-width: 2.2;
}
.ring {
  fill: var(--sheet);
  stroke: var(--ink2);
  stroke-width: 1.5;
}
.on .ring {
  fill: var(--wash);
  stroke: var(--ink);
}
.link:focus-visible .ring {
  stroke-width: 4;
}
.open .ring {
  stroke: var(--accent);
  stroke-width: 2.5;
}
.open .state {
  fill: var(--accentInk);
  font-weight: 700;
}
.conditional .ring,
.never_set .ring {
  stroke-dasharray: 7 5;
}
.in_doubt .ring {
  stroke: var(--caution);
  stroke-dasharray: 7 5;
}
.in_doubt .state {
  fill: var(--caution);
}
.name {
  font: 700 14px var(--text);
}
.value {
  font-size: 13.5px;
}
.state {
  font: 13.5px var(--text);
  fill: var(--ink2);
}
figcaption {
  min-height: 46px;
}
</style>
