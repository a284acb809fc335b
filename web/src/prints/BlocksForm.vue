<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { NButton, NInput } from 'naive-ui'
import { ref, watch } from 'vue'

import { answer, client } from '../api/client'
import { useAttempt } from '../ui/attempt'

/* The shop's own begin and end of this printer's test pieces; the guard tries them before they are kept. */
const props = defineProps<{ printer: number }>()
const queries = useQueryClient()
const { failure, busy, attempt } = useAttempt()
const path = () => ({ params: { path: { id: props.printer } } })
const { data } = useQuery({
  queryKey: ['blocks', () => props.printer],
  queryFn: () => answer(client.GET('/api/v1/printers/{id}/blocks', path())),
})
const typed = ref({ begin: '', end: '' })
const said = ref('')
watch(
  data,
  (kept) => {
    if (kept) typed.value = { ...kept }
  },
  { immediate: true },
)
watch(
  typed,
  () => {
    failure.value = ''
    const kept = data.value
    if (kept?.begin !== typed.value.begin || kept.end !== typed.value.end) said.value = ''
  },
  { deep: true },
)
async function keep() {
  const kept = await attempt(() =>
    answer(client.PUT('/api/v1/printers/{id}/blocks', { ...path(), body: typed.value })),
  )
  if (!kept) return
  queries.setQueryData(['blocks', props.printer], kept)
  said.value = 'Kept. Pieces made from now on begin and end so.'
}
</script>

<template>
  <div class="blocks">
    <p class="quiet">
      Blank is the usual one: heat, home, prime; heaters off. {nozzle} and {bed} are filled in. What the guard
      would stop is refused here.
    </p>
    <div class="row">
      <div v-for="(label, at) in { begin: 'Begin', end: 'End' }" :key="at">
        <label :for="`block-${at}`">{{ label }}</label>
        <NInput
          v-model:value="typed[at]"
          type="textarea"
          placeholder=""
          :rows="6"
          :maxlength="4000"
          :input-props="{ id: `block-${at}`, spellcheck: false }"
        />
      </div>
    </div>
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    <p v-if="said" role="status">{{ said }}</p>
    <NButton :disabled="busy" @click="keep">Keep begin and end</NButton>
  </div>
</template>

<style scoped>
.blocks {
  display: grid;
  gap: 10px;
  justify-items: start;
}
.row {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(280px, 1fr));
  gap: 12px;
  width: 100%;
}
.row :deep(textarea) {
  font-family: var(--mono);
}
</style>
