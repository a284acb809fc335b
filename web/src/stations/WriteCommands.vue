<script setup lang="ts">
import { NButton } from 'naive-ui'
import { ref, watch } from 'vue'

import { useLink } from './useLink'
import type { Station } from './useStation'

/* What a station found, written to the connected printer, stored, and read back. */
const props = defineProps<{ station: Station; lines: string[] }>()
const link = useLink(props.station)
const came = ref<{ says: string; held: boolean }>()
/* What became of other commands says nothing of these. */
watch(
  () => props.lines.join('\n'),
  () => {
    came.value = undefined
  },
)
async function write() {
  const got = await link.write(props.lines)
  if (got) came.value = { says: got.says, held: !got.not_taken.length && !got.not_stored.length }
}
</script>

<template>
  <template v-if="link.connected.value">
    <!-- Loading, not shut: the keyboard's place stays on it. -->
    <NButton :disabled="link.running.value !== null" :loading="link.busy.value" @click="write">
      Write to {{ link.printer.value?.name }} and store
    </NButton>
    <p v-if="link.failure.value" class="error" role="alert">{{ link.failure.value }}</p>
    <p v-else-if="came" :class="{ error: !came.held }" role="status">{{ came.says }}</p>
  </template>
</template>
