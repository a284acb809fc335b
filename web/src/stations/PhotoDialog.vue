<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref, watch } from 'vue'

import { ServerError, answer, client, type Schemas } from '../api/client'
import AskDialog from '../ui/AskDialog.vue'
import ChoiceRow from '../ui/ChoiceRow.vue'
import MarkedPhoto from '../ui/MarkedPhoto.vue'
import TextLine from '../ui/TextLine.vue'
import PhotoMeasure from './PhotoMeasure.vue'

/* One picture, large: what it shows, a pen that points at it, and what can be measured on it. */
const shown = defineModel<boolean>('shown', { required: true })
const props = defineProps<{ photo: Schemas['Photo']; job: number; asks: Schemas['PhotoAsk'][] }>()
const emit = defineEmits<{ changed: []; take: [path: string, value: string] }>()
const measuring = ref(false)
const marks = ref<Schemas['PhotoMark'][]>([])
const caption = ref('')
const shape = ref<Schemas['MarkShape']>('arrow')
const failure = ref('')
watch(
  () => props.photo,
  (p) => {
    marks.value = [...p.marks]
    caption.value = p.caption
    measuring.value = false
  },
  { immediate: true },
)
const params = computed(() => ({ params: { path: { id: props.photo.id } } }))
const begun = ref<Schemas['PhotoMark'] | null>(null)
const all = computed(() => (begun.value ? [...marks.value, begun.value] : marks.value))
function at(event: PointerEvent): [number, number] {
  const box = (event.currentTarget as HTMLElement).getBoundingClientRect()
  const part = (v: number) => Math.min(1, Math.max(0, v))
  return [part((event.clientX - box.left) / box.width), part((event.clientY - box.top) / box.height)]
}
function down(event: PointerEvent) {
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  const from = at(event)
  begun.value = { shape: shape.value, from, to: from }
}
function move(event: PointerEvent) {
  if (begun.value) begun.value = { ...begun.value, to: at(event) }
}
/** A mere tap points at nothing. */
function up() {
  const m = begun.value
  begun.value = null
  if (!m) return
  const far = Math.hypot((m.to[0] ?? 0) - (m.from[0] ?? 0), (m.to[1] ?? 0) - (m.from[1] ?? 0))
  if (far > 0.015) marks.value.push(m)
}
async function tell(work: () => Promise<unknown>) {
  failure.value = ''
  try {
    await work()
    shown.value = false
    emit('changed')
  } catch (e) {
    failure.value = e instanceof ServerError ? e.problem.detail : String(e)
  }
}
const keep = () =>
  tell(() =>
    answer(
      client.PUT('/api/v1/photos/{id}', {
        ...params.value,
        body: { caption: caption.value, marks: marks.value },
      }),
    ),
  )
/* What was read stands below the picture too, once. */
async function take(path: string, value: string, says: string) {
  emit('take', path, value)
  const read = `${says}: ${value}, read from this picture`
  if (!caption.value.includes(says)) caption.value = [caption.value, read].filter(Boolean).join('; ')
  await keep()
}
const takeBack = () => tell(() => answer(client.DELETE('/api/v1/photos/{id}', params.value)))
</script>

<template>
  <AskDialog id="photo" v-model:shown="shown" :title="`Picture ${photo.id}`" :failure="failure" :width="760">
    <PhotoMeasure v-if="measuring" :photo="photo" :job="job" :asks="asks" @take="take" />
    <template v-else>
      <div class="pad" @pointerdown="down" @pointermove="move" @pointerup="up" @pointercancel="begun = null">
        <MarkedPhoto :photo="photo" :marks="all" />
      </div>
      <ChoiceRow
        v-model="shape"
        name="shape"
        label="Pen: draw on the picture"
        :options="[
          { value: 'arrow', label: 'arrow' },
          { value: 'ring', label: 'ring' },
        ]"
      />
      <TextLine id="photo-caption" v-model="caption" label="What it shows" @enter="keep" />
    </template>
    <template #ways>
      <template v-if="!measuring">
        <NButton type="primary" @click="keep">Keep it so</NButton>
        <NButton v-if="asks.length" @click="measuring = true">Measure on it</NButton>
        <NButton :disabled="marks.length === 0" @click="marks.pop()">Last mark off</NButton>
        <NButton @click="takeBack">Take the picture back</NButton>
      </template>
      <NButton v-else @click="measuring = false">Back to the pen</NButton>
      <NButton @click="shown = false">Leave it as it was</NButton>
    </template>
  </AskDialog>
</template>

<style scoped>
.pad {
  touch-action: none;
  cursor: crosshair;
  margin: 0 auto;
  max-width: 100%;
}
.pad :deep(.photo) {
  max-height: 52vh;
}
</style>
