<script setup lang="ts">
import { ref } from 'vue'

import { ServerError, answer, client, type Schemas } from '../api/client'

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
const over = ref(false)
const busy = ref('')
const failure = ref('')
const MOST = 7_500_000

async function take(file: File | undefined) {
  over.value = false
  failure.value = ''
  if (!file) return
  if (file.size > MOST) {
    failure.value = `${file.name} has ${(file.size / 1e6).toFixed(1)} MB. Give a log of 7.5 MB or less.`
    return
  }
  busy.value = file.name
  try {
    const text = await file.text()
    const view = await answer(
      client.POST('/api/v1/traces/read', {
        body: {
          text,
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
    failure.value = e instanceof ServerError ? e.problem.detail : `${file.name} can’t be read as text.`
  } finally {
    busy.value = ''
  }
}
function chosen(event: Event) {
  const input = event.target as HTMLInputElement
  void take(input.files?.[0])
  input.value = ''
}
</script>

<template>
  <div>
    <label
      class="drop"
      :class="{ over }"
      @dragover.prevent="over = true"
      @dragleave="over = false"
      @drop.prevent="take($event.dataTransfer?.files[0])"
    >
      <input type="file" accept=".csv,.txt,.log,text/*" class="visually-hidden" @change="chosen" />
      {{ busy ? `Reading ${busy} …` : label }}
    </label>
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
  </div>
</template>

<style scoped>
.drop {
  display: flex;
  align-items: center;
  justify-content: center;
  min-height: 44px;
  padding: 6px 16px;
  margin: 0;
  border: 1.5px dashed var(--ink2);
  border-radius: 2px;
  color: var(--ink);
  cursor: pointer;
  text-align: center;
  font-size: 16px;
}
.drop:focus-within {
  outline: 3px solid var(--accent);
  outline-offset: 2px;
}
.over {
  background: var(--wash);
  border-color: var(--accent);
}
</style>
