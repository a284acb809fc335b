<script setup lang="ts">
import { nextTick, ref, watch } from 'vue'

import type { Schemas } from '../api/client'

const props = defineProps<{ card: Schemas['Traveller']; job?: number; active?: string }>()
const list = ref<HTMLElement>()
/* The open station is in sight, however long the card is. */
watch(
  () => [props.active, props.card] as const,
  async () => {
    await nextTick()
    list.value?.querySelector('.active')?.scrollIntoView({ block: 'nearest' })
  },
  { immediate: true },
)
const word = {
  open: 'open',
  conditional: 'only if',
  closed: 'done',
  released: 'released',
  stopped: 'stopped',
  waived: 'left out',
}
</script>

<template>
  <ol ref="list" class="traveller" aria-label="Stations of this job">
    <li v-for="l in card.lines" :key="l.key" :class="[l.state, { active: l.key === active }]">
      <component
        :is="job === undefined ? 'div' : 'RouterLink'"
        :to="`/jobs/${job}/${l.key}`"
        :aria-current="l.key === active ? 'step' : undefined"
        :title="l.reason"
        class="row"
      >
        <svg viewBox="0 0 18 18" width="18" height="18" aria-hidden="true">
          <circle cx="9" cy="9" r="7" class="ring" />
          <circle v-if="l.state === 'closed'" cx="9" cy="9" r="3.6" class="punch" />
          <path v-if="l.state === 'waived'" d="M4 9h10" class="ring" />
          <path v-if="l.state === 'stopped'" d="M5 5l8 8M13 5l-8 8" class="ring" />
        </svg>
        <span class="what">
          <span class="title">{{ l.title }}</span>
          <span class="visually-hidden">, {{ word[l.state] }}. </span>
          <span v-if="l.strength && l.state !== 'closed'" class="chip" :class="l.strength">{{
            l.state === 'conditional' ? `maybe ${l.strength}` : l.strength
          }}</span>
          <span class="line">{{ l.line || l.reason }}</span>
          <span v-if="l.unproven.length && l.state !== 'released'" class="line unproven"
            >rests on an unproven value: {{ l.unproven.join(', ') }}</span
          >
        </span>
      </component>
    </li>
    <li v-if="card.untouched" class="released untouched">
      <div class="row">
        <svg viewBox="0 0 18 18" width="18" height="18" aria-hidden="true">
          <circle cx="9" cy="9" r="7" class="ring" />
        </svg>
        <span class="what">
          <span class="title">{{ card.untouched }}</span>
          <span class="line">nothing they rest on was touched</span>
        </span>
      </div>
    </li>
  </ol>
</template>

<style scoped>
.traveller {
  list-style: none;
  margin: 0;
  padding: 0;
}
.row {
  display: grid;
  grid-template-columns: 18px 1fr;
  gap: 14px;
  padding: 9px 14px 9px 16px;
  min-height: 44px;
  text-decoration: none;
}
a.row:hover {
  background: var(--paper);
}
.ring {
  fill: none;
  stroke: var(--ink2);
  stroke-width: 2;
}
.punch {
  fill: var(--ink);
}
.closed .ring {
  stroke: var(--ink);
}
.title {
  font-weight: 700;
  margin-right: 7px;
}
.line {
  display: block;
  font-size: 14px;
  line-height: 1.3;
  color: var(--ink2);
}
.released .title {
  text-decoration: line-through;
  font-weight: 400;
  color: var(--ink2);
}
.released .ring,
.conditional .ring {
  stroke-dasharray: 3 2.5;
}
.conditional .title {
  font-weight: 400;
}
.waived .title,
.unproven {
  color: var(--caution);
}
.stopped .title,
.stopped .line {
  color: var(--stop);
}
.stopped .ring {
  stroke: var(--stop);
}
.active .row,
.active a.row:hover {
  background: var(--accent);
}
.active .title,
.active .line,
.active .unproven,
.active .chip {
  color: var(--onAccent);
  background: none;
}
.active .ring {
  stroke: var(--onAccent);
}
.active .punch {
  fill: var(--onAccent);
}
</style>
