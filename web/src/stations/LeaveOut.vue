<script setup lang="ts">
import { NButton } from 'naive-ui'
import { ref } from 'vue'

import type { Schemas } from '../api/client'
import { useDeed } from '../jobs/deed'
import AskDialog from '../ui/AskDialog.vue'
import TextLine from '../ui/TextLine.vue'

/* A station is left out with a reason: what rests on it stays unproven, and says so. */
const shown = defineModel<boolean>('shown', { required: true })
const props = defineProps<{ job: number; line: Schemas['TravellerLine'] }>()
const emit = defineEmits<{ done: [card: Schemas['Traveller']] }>()
const { failure, tell } = useDeed()
const reason = ref('')
async function leave() {
  const card = await tell(props.job, { deed: 'waived', stop: props.line.key, reason: reason.value })
  if (!card) return
  shown.value = false
  emit('done', card)
}
</script>

<template>
  <AskDialog
    id="leave"
    v-model:shown="shown"
    :title="`Leave “${line.title}” out?`"
    :failure="failure"
    :width="460"
  >
    <p class="quiet">
      Whatever rests on it stays unproven; route card and report say so, and the next job opens it.
    </p>
    <TextLine id="leave-reason" v-model="reason" label="Why" @enter="leave" />
    <template #ways>
      <NButton type="primary" @click="leave">Leave it out</NButton>
      <NButton @click="shown = false">Keep it</NButton>
    </template>
  </AskDialog>
</template>
