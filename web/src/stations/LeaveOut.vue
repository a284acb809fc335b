<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { ref } from 'vue'

import { ServerError, answer, client, type Schemas } from '../api/client'
import AskDialog from '../ui/AskDialog.vue'
import TextLine from '../ui/TextLine.vue'

/* A station is left out with a reason: what rests on it stays unproven, and says so. */
const shown = defineModel<boolean>('shown', { required: true })
const props = defineProps<{ job: number; line: Schemas['TravellerLine'] }>()
const emit = defineEmits<{ done: [card: Schemas['Traveller']] }>()
const queries = useQueryClient()
const reason = ref('')
const failure = ref('')
async function leave() {
  failure.value = ''
  try {
    const card = await answer(
      client.POST('/api/v1/jobs/{id}/deeds', {
        params: { path: { id: props.job } },
        body: { deed: 'waived', stop: props.line.key, reason: reason.value },
      }),
    )
    shown.value = false
    await queries.invalidateQueries({ queryKey: ['job', props.job] })
    emit('done', card)
  } catch (e) {
    failure.value = e instanceof ServerError ? e.problem.detail : String(e)
  }
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
