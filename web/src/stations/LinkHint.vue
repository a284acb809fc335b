<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref } from 'vue'

import ConnectDialog from '../live/ConnectDialog.vue'
import ReleaseButton from '../live/ReleaseButton.vue'
import type { Station } from './useStation'
import { useLivePrinter } from '../live/useLive'

/* Says whether the printer is connected, and offers to connect it. */
const props = defineProps<{ station: Station; otherwise: string }>()
const id = computed(() => props.station.worktop.value?.printer_id)
const { printer, connected } = useLivePrinter(id)
const asking = ref(false)
</script>

<template>
  <p v-if="!connected" class="hint">
    <span v-if="printer" class="error">{{ printer.status.says }}</span>
    <span v-else>{{ otherwise }}</span>
    <ReleaseButton v-if="id && printer?.status.state === 'halted'" :printer="id" />
    <NButton v-else @click="asking = true">Connect the printer</NButton>
    <ConnectDialog v-if="id" v-model:shown="asking" :printer="id" name="the printer" />
  </p>
</template>

<style scoped>
.hint {
  display: flex;
  flex-wrap: wrap;
  gap: 16px;
  align-items: center;
  justify-content: space-between;
  color: var(--ink2);
}
</style>
