<script setup lang="ts">
import { NInput } from 'naive-ui'
import { computed } from 'vue'

import LinkHint from './LinkHint.vue'
import { useLink } from './useLink'
import { type Station, useForm } from './useStation'

/* A settings report: read from the connected printer, or pasted. */
const props = defineProps<{ station: Station }>()
const { r } = useForm(props)
const link = useLink(props.station)
const error = computed(() => props.station.errorOf('report')?.message)
const emit = defineEmits<{ read: [] }>()
async function read() {
  const got = await link.report()
  if (!got) return
  r.value.report = got.text
  emit('read')
}
</script>

<template>
  <LinkHint
    :station="station"
    otherwise="Not connected: send M503 from the printer’s own console and paste the whole answer."
  />
  <div v-if="link.connected.value">
    <button type="button" class="soft" :class="{ next: !r.report }" :disabled="link.busy.value" @click="read">
      {{ r.report ? 'Read the settings again' : 'Read the settings' }}
    </button>
  </div>
  <p v-if="link.failure.value" class="error" role="alert">{{ link.failure.value }}</p>
  <div>
    <label for="report">Settings report</label>
    <NInput
      v-model:value="r.report"
      type="textarea"
      placeholder=""
      :rows="9"
      :input-props="{ id: 'report', spellcheck: false, class: 'mono' }"
    />
    <p v-if="error" class="error">{{ error }}</p>
  </div>
</template>
