<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import LinkHint from './LinkHint.vue'
import { useLink } from './useLink'
import type { Station } from './useStation'

/* A settings report: read from the connected printer, or pasted. */
const model = defineModel<string>()
const props = defineProps<{ station: Station; field: Schemas['Field'] }>()
const link = useLink(props.station)
const error = computed(() => props.station.errorOf(props.field.path)?.message)
async function read() {
  const got = await link.report()
  if (got) model.value = got.text
}
</script>

<template>
  <div class="report">
    <LinkHint
      :station="station"
      otherwise="Not connected: send M503 from the printer’s own console and paste the whole answer."
    />
    <div v-if="link.connected.value">
      <NButton :type="model ? 'default' : 'primary'" ghost :disabled="link.busy.value" @click="read">
        {{ model ? 'Read the settings again' : 'Read the settings' }}
      </NButton>
    </div>
    <p v-if="link.failure.value" class="error" role="alert">{{ link.failure.value }}</p>
    <div>
      <label :for="`f-${field.path}`">{{ field.label }}</label>
      <NInput
        v-model:value="model"
        type="textarea"
        placeholder=""
        :rows="9"
        :input-props="{ id: `f-${field.path}`, spellcheck: false, class: 'mono' }"
      />
      <p v-if="error" class="error">{{ error }}</p>
    </div>
  </div>
</template>

<style scoped>
.report {
  display: flex;
  flex-direction: column;
  gap: 12px;
}
</style>
