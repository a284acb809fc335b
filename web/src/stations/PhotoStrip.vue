<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, ref, watch } from 'vue'

import { ServerError, answer, client, type Schemas } from '../api/client'
import FilePick from '../ui/FilePick.vue'
import MarkedPhoto from '../ui/MarkedPhoto.vue'
import PickList from '../ui/PickList.vue'
import BeforeAfterDialog from './BeforeAfterDialog.vue'
import PhotoDialog from './PhotoDialog.vue'

/* Pictures of a stop, with those of the baseline beside a first print and at acceptance, and the printer's last accepted piece. */
const props = defineProps<{
  job: number
  stop: string
  printer?: number
  steps?: { id: string; act: string }[]
  asks?: Schemas['PhotoAsk'][]
  /** Its steps are prints, one after the other: a picture is of the last one unless said otherwise. */
  prints?: boolean
}>()
const emit = defineEmits<{ take: [path: string, value: string] }>()
const queries = useQueryClient()
const params = computed(() => ({ params: { path: { id: props.job } } }))
const { data } = useQuery({
  queryKey: ['job', () => props.job, 'photos'],
  queryFn: () => answer(client.GET('/api/v1/jobs/{id}/photos', params.value)),
})
const of = (stop: string) => (data.value ?? []).filter((p) => p.stop === stop)
const own = computed(() => of(props.stop))
const accepting = computed(() => props.stop === 'acceptance')
const baseline = computed(() => (props.stop === 'first_print' || accepting.value ? of('baseline') : []))
/* The piece that was accepted last time is what this one is held against. */
const { data: printer } = useQuery({
  queryKey: ['printer', () => props.printer],
  queryFn: () =>
    answer(client.GET('/api/v1/printers/{id}', { params: { path: { id: props.printer ?? 0 } } })),
  enabled: () => accepting.value && props.printer !== undefined,
})
const earlier = computed(() =>
  accepting.value
    ? (printer.value?.photos ?? [])
        .filter((p) => p.photo.stop === 'acceptance' && p.job_id !== props.job)
        .slice(0, 2)
    : [],
)
const step = ref('')
watch(
  () => (props.prints ? props.steps?.at(-1)?.id : undefined),
  (last) => {
    if (last) step.value = last
  },
  { immediate: true },
)
const steps = computed(() => [
  { value: '', label: 'the whole station' },
  ...(props.steps ?? []).map((s) => ({ value: s.id, label: s.act })),
])
const captionOf = (p: Schemas['Photo']) =>
  p.caption || props.steps?.find((s) => s.id === p.step)?.act || `picture ${p.id}`
/* What this piece is held against, and its own pictures: with both, a slider compares them. */
const before = computed(() => [
  ...earlier.value.map((e) => ({
    photo: e.photo,
    says: `accepted before, job ${e.job_id}: ${e.photo.caption || `picture ${e.photo.id}`}`,
  })),
  ...baseline.value.map((p) => ({ photo: p, says: `baseline: ${p.caption || `picture ${p.id}`}` })),
])
const after = computed(() => own.value.map((p) => ({ photo: p, says: captionOf(p) })))
const comparing = ref(false)
const failure = ref('')
const busy = ref(false)
const open = ref<Schemas['Photo'] | null>(null)
const shown = ref(false)
const refresh = () => queries.invalidateQueries({ queryKey: ['job', props.job, 'photos'] })
async function take(file: File) {
  failure.value = ''
  busy.value = true
  try {
    await answer(
      client.POST('/api/v1/jobs/{id}/stops/{key}/photos', {
        params: { path: { id: props.job, key: props.stop }, query: { name: file.name, step: step.value } },
        body: file as never,
        bodySerializer: (b: unknown) => b as Blob,
        headers: { 'Content-Type': 'application/octet-stream' },
      }),
    )
    await refresh()
  } catch (e) {
    failure.value = e instanceof ServerError ? e.problem.detail : String(e)
  } finally {
    busy.value = false
  }
}
function show(photo: Schemas['Photo']) {
  open.value = photo
  shown.value = true
}
</script>

<template>
  <section class="photos" aria-label="Pictures">
    <figure v-for="b in before" :key="`b${b.photo.id}`">
      <MarkedPhoto :photo="b.photo" :marks="b.photo.marks" />
      <figcaption>{{ b.says }}</figcaption>
    </figure>
    <figure v-for="p in own" :key="p.id">
      <NButton quaternary class="plain open" :aria-label="`Open picture ${p.id}`" @click="show(p)">
        <MarkedPhoto :photo="p" :marks="p.marks" />
      </NButton>
      <figcaption>{{ captionOf(p) }}</figcaption>
    </figure>
    <NButton v-if="before.length && after.length" class="no-print" @click="comparing = true">
      Before and after …
    </NButton>
    <BeforeAfterDialog v-model:shown="comparing" :before="before" :after="after" />
    <PickList
      v-if="props.steps && props.steps.length > 1"
      id="photo-step"
      v-model="step"
      class="no-print at"
      label="Picture of"
      :options="steps"
    />
    <FilePick
      class="no-print"
      :label="busy ? 'keeping the picture …' : 'Add a picture'"
      accept="image/jpeg,image/png,image/webp"
      @file="take"
    />
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    <PhotoDialog
      v-if="open"
      v-model:shown="shown"
      :photo="open"
      :job="job"
      :asks="asks ?? []"
      @changed="refresh"
      @take="(path, value) => emit('take', path, value)"
    />
  </section>
</template>

<style scoped>
.photos {
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  align-items: end;
}
figure {
  margin: 0;
  width: 150px;
}
/* A step's text is long: it is cut, and whole in the open list. */
.at {
  width: 260px;
}
.open {
  width: 100%;
  height: auto;
  padding: 0;
}
.open :deep(.n-button__content) {
  width: 100%;
}
figcaption {
  font-size: 14px;
  color: var(--ink2);
  overflow-wrap: anywhere;
}
</style>
