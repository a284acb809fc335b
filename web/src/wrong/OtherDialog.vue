<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref, watch } from 'vue'

import AskDialog from '../ui/AskDialog.vue'
import PickList from '../ui/PickList.vue'
import TextLine from '../ui/TextLine.vue'
import type { CasePage, Step } from './useCase'

/* Another check than the one proposed, or none of it: with why. */
const shown = defineModel<boolean>('shown', { required: true })
const props = defineProps<{ page: CasePage; step: Step | null; failure: string }>()
const emit = defineEmits<{ take: [action: string]; pass: [action: string, reason: string]; closed: [] }>()
const instead = ref('')
const reason = ref('')
watch(shown, (now) => {
  if (now) instead.value = reason.value = ''
})
const options = computed(() =>
  [...(props.page.next ? [props.page.next] : []), ...props.page.others]
    .filter((s) => s.id !== props.step?.id)
    .map((s) => ({ value: s.id, label: `${s.does} ${s.minutes} min` })),
)
function take() {
  emit('take', instead.value)
  shown.value = false
}
function pass() {
  if (props.step) emit('pass', props.step.id, reason.value)
}
</script>

<template>
  <AskDialog
    id="other"
    v-model:shown="shown"
    title="Something else?"
    :failure="failure"
    :width="620"
    @closed="emit('closed')"
  >
    <PickList id="other-what" v-model="instead" label="Do this one now" :options="options" />
    <p>
      <NButton type="primary" :disabled="!instead" @click="take">Do it</NButton>
    </p>
    <TextLine id="other-why" v-model="reason" label="Or: why “this one” can’t be done here" @enter="pass" />
    <template #ways>
      <NButton :disabled="!reason.trim()" @click="pass">Pass it over</NButton>
      <NButton @click="shown = false">Stay with it</NButton>
    </template>
  </AskDialog>
</template>
