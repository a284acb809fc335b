<script setup lang="ts">
import { NButton, useMessage } from 'naive-ui'

import { ServerError, answer, client } from '../api/client'

/* A printer that an emergency stop halted works again only after somebody says that the cause was found. */
const props = defineProps<{ printer: number }>()
const message = useMessage()
async function release() {
  try {
    await answer(client.POST('/api/v1/printers/{id}/release', { params: { path: { id: props.printer } } }))
  } catch (e) {
    if (e instanceof ServerError) message.error(e.problem.detail)
  }
}
</script>

<template>
  <NButton @click="release">Release it</NButton>
</template>
