<script setup lang="ts">
import { ref } from 'vue'

import { ServerError, answer, client, type Schemas } from '../api/client'
import FilePick from '../ui/FilePick.vue'

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
const busy = ref('')
const failure = ref('')
const MOST = 32_000_000

async function take(file: File) {
  failure.value = ''
  if (file.size > MOST) {
    failure.value = `${file.name} has ${(file.size / 1e6).toFixed(1)} MB. Give a log of 32 MB or less.`
    return
  }
  busy.value = file.name
  try {
    // In pieces, as it is: nothing of it is read here.
    const kept = await answer(
      client.POST('/api/v1/files', {
        body: file as unknown as string,
        bodySerializer: (body) => body as unknown as Blob,
        headers: { 'content-type': 'application/octet-stream' },
      }),
    )
    const view = await answer(
      client.POST('/api/v1/traces/read', {
        body: {
          file: kept.sha256,
          name: file.name,
          mass: props.mass ?? null,
          printer_id: props.printer ?? null,
          job_id: props.job ?? null,
          target_c: props.target ?? null,
          autotune: props.autotune ?? false,
        },
      }),
    )
    emit('read', view, file.name)
  } catch (e) {
    failure.value = e instanceof ServerError ? e.problem.detail : `${file.name} can’t be sent. Try again.`
  } finally {
    busy.value = ''
  }
}
</script>

<template>
  <div>
    <FilePick :label="busy ? `Reading ${busy} …` : label" accept=".csv,.txt,.log,text/*" @file="take" />
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
  </div>
</template>
