<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { ref, shallowRef, useId } from 'vue'

import { ServerError, answer, client, type Schemas } from '../api/client'
import FilePick from '../ui/FilePick.vue'
import TakenAs from './TakenAs.vue'

/* Where a log file is dropped or chosen; the server reads it. */
const props = defineProps<{
  label: string
  printer?: number
  job?: number
  target?: number
  autotune?: boolean
  mass?: Schemas['HotEndMass']
}>()
const emit = defineEmits<{ read: [view: Schemas['TraceView'], name: string] }>()
const id = useId()
const queries = useQueryClient()
const busy = ref('')
const failure = ref('')
const errors = ref<Schemas['FieldError'][]>([])
/* The file that was read last, and what it was taken for: it can be read again another way. */
const last = shallowRef<{
  sha256: string
  name: string
  taken: Schemas['Taken']
  kept: number | null
} | null>(null)
const asSaid: Schemas['TypedReadAs'] = { temperatures: null, times: null, every: '', duty: null, target: '' }
const asked = ref(asSaid)
const MOST = 32_000_000

async function send(file: File) {
  // In pieces, as it is: nothing of it is read here.
  const kept = await answer(
    client.POST('/api/v1/files', {
      body: file as unknown as string,
      bodySerializer: (body) => body as unknown as Blob,
      headers: { 'content-type': 'application/octet-stream' },
    }),
  )
  return kept.sha256
}

/** Reads a file that is here, and says so. */
async function read(sha256: string, name: string, kept: number | null) {
  const view = await answer(
    client.POST('/api/v1/traces/read', {
      body: {
        file: sha256,
        name,
        mass: props.mass ?? null,
        printer_id: props.printer ?? null,
        job_id: props.job ?? null,
        target_c: props.target ?? null,
        autotune: props.autotune ?? false,
        read_as: asked.value,
        kept,
      },
    }),
  )
  if (view.taken) last.value = { sha256, name, taken: view.taken, kept: view.kept?.id ?? null }
  /* Read again in its place, it is another one under the same number. */
  await queries.invalidateQueries({ queryKey: ['trace'] })
  emit('read', view, name)
}

async function tell(name: string, work: () => Promise<void>) {
  failure.value = ''
  errors.value = []
  busy.value = name
  try {
    await work()
    return true
  } catch (e) {
    const problem = e instanceof ServerError ? e.problem : null
    errors.value = (problem?.errors ?? []).filter((p) => p.field === 'every' || p.field === 'target')
    if (!errors.value.length) failure.value = problem?.detail ?? `${name} can’t be sent. Try again.`
    return false
  } finally {
    busy.value = ''
  }
}

async function take(file: File) {
  if (file.size > MOST) {
    failure.value = `${file.name} has ${(file.size / 1e6).toFixed(1)} MB. Give a log of 32 MB or less.`
    return
  }
  asked.value = asSaid
  last.value = null
  await tell(file.name, async () => read(await send(file), file.name, null))
}

async function again(as: Schemas['TypedReadAs']) {
  const of = last.value
  if (!of) return
  const before = asked.value
  asked.value = as
  /* What doesn't read is not what it was taken for. */
  if (!(await tell(of.name, () => read(of.sha256, of.name, of.kept)))) asked.value = before
}
</script>

<template>
  <div>
    <FilePick :label="busy ? `Reading ${busy} …` : label" accept=".csv,.txt,.log,text/*" @file="take" />
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    <TakenAs
      v-if="last"
      :id="id"
      :key="last.sha256"
      :model-value="asked"
      :taken="last.taken"
      :errors="errors"
      :targeted="target !== undefined"
      @update:model-value="again"
    />
  </div>
</template>
