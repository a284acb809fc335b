<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { NButton, NCheckbox, NCheckboxGroup } from 'naive-ui'
import { computed, ref } from 'vue'

import { get, type Schemas } from '../api/client'
import PickList from '../ui/PickList.vue'
import TextLine from '../ui/TextLine.vue'
import WideTable from '../ui/WideTable.vue'
import PreventList from './PreventList.vue'
import SwappedLine from './SwappedLine.vue'
import type { CasePage } from './useCase'

/* The cause is proven: what it takes to mend it, what keeps it away, and the job that follows. */
const props = defineProps<{ page: CasePage; failure: string; busy: boolean }>()
const emit = defineEmits<{
  end: [body: Schemas['EndCase']]
  price: [what: string, typed: string]
  now: [action: string]
  on: []
}>()
const proven = computed(() => props.page.proven)
const helped = computed(() => props.page.tried.find((t) => t.outcome === 'helped'))
const by = ref('')
const chosen = computed(() => by.value || helped.value?.action || proven.value?.choices[0]?.action || '')
const way = computed(() => proven.value?.choices.find((c) => c.action === chosen.value))
const wantsJob = computed(() => (helped.value ?? way.value)?.wants_job ?? false)
const options = computed(() => (proven.value?.choices ?? []).map((c) => ({ value: c.action, label: c.does })))
const counts = ref(true)
const filaments = ref<number[]>([])
const { data: known } = useQuery({ queryKey: ['filaments'], queryFn: () => get('/api/v1/filaments') })
const prices = ref<Record<string, string>>({})
const priced = computed(() => (proven.value?.choices ?? []).filter((c) => c.fits))
const money = (v: number | null | undefined) => (v == null ? '' : v.toFixed(2))
function end(job: boolean) {
  emit('end', {
    how: 'proven',
    cause: proven.value?.id ?? null,
    by: chosen.value || null,
    counts: counts.value,
    job,
    filament_ids: filaments.value,
  })
}
</script>

<template>
  <section v-if="proven" class="proven" aria-label="The cause">
    <p class="kind">The cause</p>
    <h1>It is the {{ proven.label }}.</h1>
    <p v-if="helped" class="quiet">{{ helped.does }} It helped.</p>
    <!-- What helped needs no other way. -->
    <template v-if="proven.choices.length && !helped">
      <WideTable label="Ways to mend it">
        <thead>
          <tr>
            <th scope="col">Way to mend it</th>
            <th scope="col">holds</th>
            <th scope="col">minutes</th>
            <th scope="col">in the end</th>
            <th v-if="proven.choices[0]?.expected_price != null" scope="col">cost in the end</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="c in proven.choices" :key="c.action" :class="{ on: c.action === chosen }">
            <td>
              {{ c.does }}
              <span v-if="c.came_back" class="doubt">Done once, and it came back: look at the new part.</span>
            </td>
            <td class="mono">{{ Math.round(100 * c.chance) }} %</td>
            <td class="mono">{{ c.minutes }}</td>
            <td class="mono">{{ Math.round(c.expected_min) }} min</td>
            <td v-if="c.expected_price != null" class="mono">{{ money(c.expected_price) }}</td>
          </tr>
        </tbody>
      </WideTable>
      <div class="way">
        <PickList
          v-if="options.length > 1"
          id="by"
          :model-value="chosen"
          label="Which way"
          :options="options"
          @update:model-value="(v) => (by = v ?? '')"
        />
        <NButton :type="way?.wants_job ? undefined : 'primary'" :disabled="busy" @click="emit('now', chosen)">
          Do it now
        </NButton>
      </div>
      <div v-if="priced.length" class="prices">
        <TextLine
          v-for="c in priced"
          :id="`price-${c.fits}`"
          :key="c.action"
          :model-value="prices[c.fits ?? ''] ?? money(c.part_price)"
          :label="`Price here: ${c.part}`"
          decimal
          @update:model-value="(v) => (prices[c.fits ?? ''] = String(v ?? ''))"
          @change="(v: string) => emit('price', c.fits ?? '', v)"
        />
        <TextLine
          id="price-hour"
          :model-value="prices.hour ?? money(page.per_hour)"
          label="An hour of hands costs"
          decimal
          @update:model-value="(v) => (prices.hour = String(v ?? ''))"
          @change="(v: string) => emit('price', 'hour', v)"
        />
      </div>
    </template>
    <p v-if="page.unexplained.length" class="doubt">
      It doesn’t explain: {{ page.unexplained.join('; ') }}. Look whether that is still so before you end.
    </p>
    <PreventList :proven="proven" />
    <NCheckbox v-model:checked="counts" class="counts">
      This case counts for the shop’s weights (House rules lists it, and can leave it out)
    </NCheckbox>
    <div v-if="!page.open_job && wantsJob && known?.length">
      <p id="case-filaments" class="label">Filaments to prove it with</p>
      <NCheckboxGroup v-model:value="filaments" aria-labelledby="case-filaments" class="boxes">
        <NCheckbox v-for="f in known" :key="f.id" :value="f.id">{{ f.name }}</NCheckbox>
      </NCheckboxGroup>
    </div>
    <SwappedLine v-if="!wantsJob" :page="page" />
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    <div class="ways">
      <NButton v-if="wantsJob" type="primary" :disabled="busy" @click="end(true)">
        {{ page.open_job ? `Put it on job ${page.open_job}` : 'Open the job for it' }}
      </NButton>
      <NButton :type="helped && !wantsJob ? 'primary' : undefined" :disabled="busy" @click="end(false)">
        End the case: it is mended
      </NButton>
      <NButton :disabled="busy" @click="emit('on')">Not so: go on looking</NButton>
    </div>
  </section>
</template>

<style scoped>
.proven {
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.kind {
  color: var(--ink2);
  font-weight: 600;
}
.doubt {
  border-left: 4px solid var(--caution);
  padding-left: 8px;
}
.on td:first-child {
  font-weight: 700;
}
.way {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: end;
}
.way > :first-child:not(button) {
  flex: 1 1 300px;
}
.prices {
  display: flex;
  flex-wrap: wrap;
  align-items: end;
  gap: 10px 16px;
}
.prices > * {
  width: 220px;
}
.counts,
.boxes :deep(.n-checkbox) {
  min-height: 44px;
  align-items: center;
}
.boxes {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 20px;
}
</style>
