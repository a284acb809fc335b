<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref } from 'vue'

import type { Schemas } from '../api/client'
import AskDialog from '../ui/AskDialog.vue'
import BeforeAfter from '../ui/BeforeAfter.vue'
import PickList from '../ui/PickList.vue'

/* The reference piece before and after: which two pictures, and a slider over them. */
const shown = defineModel<boolean>('shown', { required: true })
export interface Named {
  photo: Schemas['Photo']
  says: string
}
const props = defineProps<{ before: Named[]; after: Named[] }>()
const one = ref<string | null>(null)
const other = ref<string | null>(null)
const options = (all: Named[]) => all.map((n) => ({ value: String(n.photo.id), label: n.says }))
/* The newest of each until somebody chooses. */
const chosen = (all: Named[], id: string | null) => all.find((n) => String(n.photo.id) === id) ?? all.at(-1)
const first = computed(() => chosen(props.before, one.value))
const second = computed(() => chosen(props.after, other.value))
const idOf = (n: Named | undefined) => (n ? String(n.photo.id) : '')
</script>

<template>
  <AskDialog id="before-after" v-model:shown="shown" title="Before and after" :width="860">
    <div v-if="before.length > 1 || after.length > 1" class="which">
      <PickList
        id="before-which"
        :model-value="idOf(first)"
        label="Before"
        :options="options(before)"
        @update:model-value="(v) => (one = v ?? null)"
      />
      <PickList
        id="after-which"
        :model-value="idOf(second)"
        label="After"
        :options="options(after)"
        @update:model-value="(v) => (other = v ?? null)"
      />
    </div>
    <BeforeAfter v-if="first && second" :before="first.photo" :after="second.photo" />
    <template #ways><NButton type="primary" @click="shown = false">Done</NButton></template>
  </AskDialog>
</template>

<style scoped>
.which {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(240px, 1fr));
  gap: 10px;
}
</style>
