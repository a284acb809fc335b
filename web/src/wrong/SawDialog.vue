<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, ref, watch } from 'vue'

import { get } from '../api/client'
import AskDialog from '../ui/AskDialog.vue'
import ChoiceRow from '../ui/ChoiceRow.vue'
import PickList from '../ui/PickList.vue'
import type { CaseEntry, CasePage } from './useCase'

/* For those who know what they saw: any observation, at once. */
const shown = defineModel<boolean>('shown', { required: true })
defineProps<{ page: CasePage; failure: string }>()
const emit = defineEmits<{ tell: [entries: CaseEntry[]] }>()
const { data } = useQuery({ queryKey: ['observations'], queryFn: () => get('/api/v1/observations') })
const what = ref('')
const so = ref<'yes' | 'no'>('yes')
const options = computed(() => (data.value ?? []).map((o) => ({ value: o.id, label: o.says })))
function take() {
  if (!what.value) return
  emit('tell', [{ entry: 'seen', observation: what.value, answer: so.value }])
}
watch(shown, (now) => {
  if (now) what.value = ''
})
</script>

<template>
  <AskDialog id="saw" v-model:shown="shown" title="What did you see?" :failure="failure" :width="560">
    <PickList id="saw-what" v-model="what" label="What: type a word of it" :options="options" />
    <ChoiceRow
      v-model="so"
      name="saw-so"
      label="Is it so?"
      :options="[
        { value: 'yes', label: 'yes' },
        { value: 'no', label: 'no' },
      ]"
    />
    <template #ways>
      <NButton type="primary" :disabled="!what" @click="take">Take it</NButton>
      <NButton @click="shown = false">Nothing more</NButton>
    </template>
  </AskDialog>
</template>
