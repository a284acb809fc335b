<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { NButton, useMessage } from 'naive-ui'
import { computed } from 'vue'
import { useRouter } from 'vue-router'

import { get } from '../api/client'
import { beginCase } from './begin'

/* From a job to its case: the one that is open, or a new one that knows what the stop has shown. */
const props = defineProps<{ job: number; printer: number; stop: string }>()
const router = useRouter()
const message = useMessage()
const { data, refetch } = useQuery({ queryKey: ['cases'], queryFn: () => get('/api/v1/cases') })
const open = computed(() =>
  data.value?.watched.find((c) => c.printer_id === props.printer && c.ended_at == null),
)
async function go() {
  await refetch()
  if (open.value) return router.push(`/wrong/${open.value.id}`)
  const got = await beginCase({
    printer_id: props.printer,
    job_id: props.job,
    stop: props.stop,
    trace: null,
    sentence: '',
    who: '',
  })
  if (got.id === null) message.error(got.failure)
  else await router.push(`/wrong/${got.id}`)
}
</script>

<template>
  <NButton @click="go">{{ open ? `Case ${open.id}: what is wrong?` : 'What is wrong with it?' }}</NButton>
</template>
