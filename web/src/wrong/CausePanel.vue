<script setup lang="ts">
import { computed } from 'vue'

import FoldedPart from '../ui/FoldedPart.vue'
import type { CasePage } from './useCase'

/* What it may be, as words, bars and what speaks for it; how long it takes to the end. */
const props = defineProps<{ page: CasePage }>()
const most = computed(() => Math.max(...props.page.causes.map((c) => c.p), 0.01))
const percent = (p: number) => `${Math.round(100 * p)} %`
</script>

<template>
  <div class="panel">
    <section aria-label="What it may be" aria-live="polite">
      <h2>What it may be</h2>
      <ol>
        <li v-for="(c, i) in page.causes" :key="c.id">
          <span class="name">{{ c.label }}</span>
          <span class="track" aria-hidden="true">
            <span class="bar" :style="{ width: `${(100 * c.p) / most}%` }" :class="{ first: c.p === most }" />
          </span>
          <span class="quiet"
            >{{ c.word }}, {{ percent(c.p) }}<template v-if="c.remedy"> · {{ c.remedy }}</template></span
          >
          <span v-if="i < 2 && c.speaks.length" class="says">for it: {{ c.speaks.join('; ') }}</span>
          <span v-if="i < 2 && c.against.length" class="says">against: {{ c.against.join('; ') }}</span>
        </li>
      </ol>
    </section>
    <section v-if="!page.proven && !page.nothing_found" aria-label="To the end">
      <h2>To the end</h2>
      <p class="mono">
        about {{ Math.round(page.expected_minutes) }} min<template v-if="page.expected_cost != null"
          >, {{ page.expected_cost.toFixed(2) }}</template
        >
      </p>
    </section>
    <section v-if="page.two_at_once" aria-label="Two at once">
      <h2>Two at once?</h2>
      <p class="doubt">
        No single cause explains what was seen. Likelier both: {{ page.two_at_once.labels.join(' and ') }}.
        Mend one, then look again.
      </p>
    </section>
    <section v-if="page.ruled_out.length">
      <FoldedPart title="Ruled out" :says="String(page.ruled_out.length)">
        <ul>
          <li v-for="r in page.ruled_out" :key="r" class="out">{{ r }}</li>
        </ul>
      </FoldedPart>
    </section>
    <section>
      <FoldedPart title="Where the numbers come from">
        <p class="quiet">
          The weights are judgement, no published source. This shop’s own proven cases move them; they are
          listed under House rules and can be left out there.
        </p>
        <p v-for="c in page.causes" :key="c.id">
          {{ c.label }}: judged {{ percent(c.learned.judged) }}, {{ c.learned.cases }}
          {{ c.learned.cases === 1 ? 'case' : 'cases' }} here
        </p>
      </FoldedPart>
    </section>
  </div>
</template>

<style scoped>
.panel {
  display: flex;
  flex-direction: column;
  font-size: 15px;
}
section {
  padding: 10px 18px;
}
ol,
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
ol li {
  display: flex;
  flex-direction: column;
  gap: 2px;
  padding: 5px 0;
}
.name {
  font-size: 16px;
}
.track {
  display: block;
  height: 9px;
}
.bar {
  display: block;
  height: 100%;
  background: var(--ink2);
}
.bar.first {
  background: var(--ink);
}
.says {
  font-size: 14px;
  color: var(--ink2);
}
.doubt {
  border-left: 4px solid var(--caution);
  padding-left: 8px;
}
.out {
  padding: 3px 0;
  font-size: 14px;
}
</style>
