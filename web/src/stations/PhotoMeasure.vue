<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref, watch } from 'vue'

import { ServerError, answer, client, type Schemas } from '../api/client'
import CornerPad from '../ui/CornerPad.vue'
import MarkedPhoto from '../ui/MarkedPhoto.vue'
import PickList from '../ui/PickList.vue'

/* A reading taken from a picture: what is measured, four corners round it, and a proposal that the person takes or not. */
const props = defineProps<{ photo: Schemas['Photo']; job: number; asks: Schemas['PhotoAsk'][] }>()
const emit = defineEmits<{ take: [path: string, value: string, says: string] }>()
/* A picture of a print is measured for that print. */
const into = ref(
  (props.asks.find((a) => props.photo.step && a.says.endsWith(props.photo.step)) ?? props.asks[0])?.into ??
    '',
)
const ask = computed(() => props.asks.find((a) => a.into === into.value))
const corners = ref<[[number, number], [number, number], [number, number], [number, number]]>([
  [0.25, 0.25],
  [0.75, 0.25],
  [0.75, 0.75],
  [0.25, 0.75],
])
const found = ref<Schemas['PhotoProposal'] | null>(null)
const failure = ref('')
const busy = ref(false)
// What was found of other corners is no longer shown.
watch([corners, into], () => {
  found.value = null
  failure.value = ''
})
async function measure() {
  busy.value = true
  failure.value = ''
  try {
    found.value = await answer(
      client.POST('/api/v1/jobs/{id}/stops/{key}/photos/{photo}/measure', {
        params: { path: { id: props.job, key: props.photo.stop, photo: props.photo.id } },
        body: { into: into.value, corners: corners.value },
      }),
    )
  } catch (e) {
    failure.value = e instanceof ServerError ? e.problem.detail : String(e)
  } finally {
    busy.value = false
  }
}
function take() {
  if (found.value && ask.value) emit('take', found.value.into, found.value.value, ask.value.says)
}
</script>

<template>
  <PickList
    id="photo-ask"
    v-model="into"
    label="Measure"
    :options="asks.map((a) => ({ value: a.into, label: a.says }))"
  />
  <p v-if="ask" class="quiet">{{ ask.how }}</p>
  <CornerPad v-model="corners" :drawn="found?.drawn ?? []" :width="photo.width" :height="photo.height">
    <MarkedPhoto :photo="photo" :marks="[]" />
  </CornerPad>
  <div class="found" role="status">
    <p v-for="line in found?.says ?? []" :key="line">{{ line }}</p>
  </div>
  <p v-if="failure" class="error" role="alert">{{ failure }}</p>
  <div class="deeds">
    <NButton :type="found ? 'default' : 'primary'" :disabled="busy" @click="measure">
      {{ busy ? 'looking …' : 'Measure it' }}
    </NButton>
    <NButton v-if="found" type="primary" @click="take">Take {{ found.value }}</NButton>
  </div>
</template>

<style scoped>
p {
  margin: 6px 0;
}
.deeds {
  display: flex;
  gap: 10px;
}
:deep(.photo) {
  max-height: 38vh;
}
</style>
