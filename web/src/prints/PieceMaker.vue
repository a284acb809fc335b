<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { answer, client, get } from '../api/client'
import { useAttempt } from '../ui/attempt'
import FoldedPart from '../ui/FoldedPart.vue'
import PickList from '../ui/PickList.vue'
import TextLine from '../ui/TextLine.vue'
import BlocksForm from './BlocksForm.vue'

/* A test piece for one printer: what it is for, what it proves and doesn't; then it is a part like any other. */
const router = useRouter()
const queries = useQueryClient()
const { failure, busy, attempt } = useAttempt()
const { data: pieces } = useQuery({ queryKey: ['pieces'], queryFn: () => get('/api/v1/pieces') })
const { data: bench } = useQuery({ queryKey: ['bench'], queryFn: () => get('/api/v1/bench') })
const { data: filaments } = useQuery({ queryKey: ['filaments'], queryFn: () => get('/api/v1/filaments') })
/* A station asks for its piece by the address. */
const route = useRoute()
const asked = (key: string) => {
  const found = route.query[key]
  return typeof found === 'string' ? found : ''
}
function askedSet(): Record<string, string> {
  try {
    const found: unknown = JSON.parse(asked('set') || '{}')
    if (typeof found !== 'object' || found === null) return {}
    return Object.fromEntries(Object.entries(found).map(([k, v]) => [k, String(v)]))
  } catch {
    return {}
  }
}
/* What a station asks for: temperature and flow have fields of their own. */
const { nozzle: askedNozzle = '', flow: askedFlow = '', ...askedOf } = askedSet()
const typed = ref({
  piece: asked('piece'),
  printer: asked('printer'),
  filament: asked('filament'),
  nozzle: askedNozzle,
  flow: askedFlow,
  bed: '',
})
const set = ref<Record<string, string>>(askedOf)
const kind = computed(() => pieces.value?.find((p) => p.name === typed.value.piece))
watch(
  () => typed.value.piece,
  () => {
    set.value = {}
  },
)
watch(
  [typed, set],
  () => {
    failure.value = ''
  },
  { deep: true },
)
const named = (list: { id: number; name: string }[]) =>
  list.map((p) => ({ value: String(p.id), label: p.name }))
const options = computed(() => ({
  piece: (pieces.value ?? []).map((p) => ({ value: p.name, label: p.title })),
  printer: named((bench.value?.rows ?? []).map((r) => r.printer)),
  filament: [{ value: '', label: 'not said: PLA' }, ...named(filaments.value ?? [])],
}))
/* Brackets hold the unit. */
const label = (says: string) => says.charAt(0).toUpperCase() + says.slice(1).replace(/ \[([^\]]*)\]/, ', $1')
async function make() {
  const made = await attempt(() =>
    answer(
      client.POST('/api/v1/pieces', {
        body: {
          name: typed.value.piece,
          printer_id: Number(typed.value.printer),
          filament_id: typed.value.filament ? Number(typed.value.filament) : null,
          nozzle: typed.value.nozzle,
          bed: typed.value.bed,
          flow: typed.value.flow,
          set: set.value,
        },
      }),
    ),
  )
  if (!made) return
  await queries.invalidateQueries({ queryKey: ['prints'] })
  await router.push({
    path: `/prints/${made.id}`,
    query: { printer: typed.value.printer, ...(asked('back') ? { back: asked('back') } : {}) },
  })
}
</script>

<template>
  <section class="maker" aria-label="Test piece">
    <div class="row">
      <PickList id="piece" v-model="typed.piece" label="Piece" :options="options.piece" />
      <PickList
        id="piece-printer"
        v-model="typed.printer"
        label="For which printer"
        :options="options.printer"
      />
      <PickList id="piece-filament" v-model="typed.filament" label="Filament" :options="options.filament" />
    </div>
    <template v-if="kind">
      <p>
        Finds {{ kind.finds }}. Proves {{ kind.proves }};
        <span class="quiet">{{ kind.proves_not }}.</span>
      </p>
      <div class="row">
        <TextLine id="piece-nozzle" v-model="typed.nozzle" label="Nozzle, °C" decimal @enter="make" />
        <TextLine id="piece-bed" v-model="typed.bed" label="Bed, °C" decimal @enter="make" />
        <TextLine id="piece-flow" v-model="typed.flow" label="Flow, %" decimal @enter="make" />
        <template v-for="s in kind.settings" :key="s.key">
          <PickList
            v-if="s.choices.length"
            :id="`piece-${s.key}`"
            :model-value="set[s.key] || String(s.default)"
            :label="label(s.says)"
            :options="s.choices.map((c) => ({ value: String(c.value), label: c.says }))"
            @update:model-value="set[s.key] = $event ?? ''"
          />
          <TextLine
            v-else
            :id="`piece-${s.key}`"
            v-model="set[s.key]"
            :label="`${label(s.says)} (${s.unsaid ?? s.default})`"
            decimal
            @enter="make"
          />
        </template>
      </div>
      <p class="quiet">What stays blank is the filament’s, or what stands in brackets.</p>
      <FoldedPart v-if="typed.printer" title="How pieces of this printer begin and end">
        <BlocksForm :key="typed.printer" :printer="Number(typed.printer)" />
      </FoldedPart>
      <p v-if="failure" class="error" role="alert">{{ failure }}</p>
      <NButton type="primary" :disabled="busy || !typed.printer" @click="make"
        >Make the {{ kind.title }}</NButton
      >
    </template>
  </section>
</template>

<style scoped>
.maker {
  display: grid;
  gap: 10px;
  justify-items: start;
  margin-bottom: 18px;
}
.maker > .row {
  width: 100%;
}
.row {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(220px, 1fr));
  gap: 10px;
  align-items: end;
}
</style>
