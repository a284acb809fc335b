<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed } from 'vue'

import FoldedPart from '../ui/FoldedPart.vue'
import SeenLine from './SeenLine.vue'
import type { CasePage } from './useCase'

/* What is known of a case: each thing can be taken back. */
const props = defineProps<{ page: CasePage; shut: boolean }>()
const emit = defineEmits<{
  back: [observation: string]
  undo: [action: string]
  add: []
  again: [earlier: number]
}>()
const from: Record<CasePage['seen'][number]['from'], string> = {
  seen: 'seen',
  sentence: 'from the sentence',
  station: 'from the station',
  log: 'from the heat log',
  printer: 'from the printer',
}
/* What is so stands in sight; what isn't is folded. */
const isSo = computed(() => props.page.seen.filter((s) => s.answer !== 'no'))
const isNot = computed(() => props.page.seen.filter((s) => s.answer === 'no'))
/* What a try was, and what it cost. */
const spent = (t: CasePage['tried'][number]) =>
  [t.reason, t.price == null ? '' : `part ${t.price.toFixed(2)}`].filter(Boolean).join(' · ')
const parts = () => [...new Set(props.page.replaced)].join(', ')
</script>

<template>
  <div class="known">
    <div class="head">
      <strong>{{ page.printer.name }}</strong>
      <span class="quiet"> case {{ page.case.id }}</span>
      <p v-if="page.case.sentence" class="quiet">“{{ page.case.sentence }}”</p>
      <p v-if="page.open_job">
        <RouterLink :to="`/jobs/${page.open_job}`">to job {{ page.open_job }}</RouterLink>
      </p>
    </div>
    <section aria-label="What is known">
      <h2>What is known</h2>
      <p v-if="!page.seen.length" class="quiet">Nothing yet.</p>
      <ul>
        <SeenLine
          v-for="s in isSo"
          :key="s.observation"
          :says="`${s.says}:`"
          :strong="s.answer"
          :of="from[s.from]"
          :shut="shut"
          back="Take back"
          @back="emit('back', s.observation)"
        />
      </ul>
      <FoldedPart v-if="isNot.length" title="Looked at, and not so" :says="String(isNot.length)">
        <ul>
          <SeenLine
            v-for="s in isNot"
            :key="s.observation"
            :says="`${s.says}:`"
            strong="no"
            :of="from[s.from]"
            :shut="shut"
            back="Take back"
            @back="emit('back', s.observation)"
          />
        </ul>
      </FoldedPart>
      <NButton v-if="!shut" aria-haspopup="dialog" @click="emit('add')">Say what you saw …</NButton>
    </section>
    <section v-if="page.earlier.length" aria-label="Found on this job before">
      <h2>Found on this job before</h2>
      <template v-for="e in page.earlier" :key="e.case">
        <p>
          <RouterLink :to="`/wrong/${e.case}`">Case {{ e.case }}</RouterLink
          >: {{ e.cause }}<template v-if="e.came_back">. It came back</template>.
        </p>
        <NButton v-if="!shut && !e.came_back" @click="emit('again', e.case)">
          It is that complaint again
        </NButton>
      </template>
    </section>
    <section v-if="page.tried.length || page.passed_over.length" aria-label="What was tried">
      <h2>What was tried</h2>
      <ul>
        <SeenLine
          v-for="t in page.tried"
          :key="t.action"
          :says="t.does"
          :strong="t.says"
          :of="spent(t)"
          :shut="shut"
          back="Take back"
          @back="emit('undo', t.action)"
        />
        <SeenLine
          v-for="p in page.passed_over"
          :key="p.action"
          :says="p.does"
          strong="passed over"
          :of="p.reason"
          :shut="shut"
          back="Take up again"
          @back="emit('undo', p.action)"
        />
      </ul>
    </section>
    <section v-if="page.replaced.length || page.false_fixes.length" aria-label="Touched not long ago">
      <h2>Touched not long ago</h2>
      <p>{{ parts() }}</p>
      <p v-for="f in page.false_fixes" :key="f" class="quiet">Not explained by the new {{ f }}.</p>
    </section>
    <section v-if="page.unexplained.length && page.seen.length" aria-label="Not explained">
      <h2>The likeliest doesn’t explain</h2>
      <p v-for="u in page.unexplained" :key="u">{{ u }}</p>
    </section>
  </div>
</template>

<style scoped>
.known {
  display: flex;
  flex-direction: column;
  font-size: 15px;
}
.head,
section {
  padding: 12px 16px;
}
.head {
  border-bottom: 1px solid var(--rule);
}
.head strong {
  font-size: 18px;
}
section + section {
  border-top: 1px solid var(--rule);
}
ul {
  list-style: none;
  margin: 0 0 8px;
  padding: 0;
}
</style>
