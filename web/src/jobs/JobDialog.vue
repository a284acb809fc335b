<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { NButton, useMessage } from 'naive-ui'
import { computed, ref, watch } from 'vue'

import { get, type Schemas } from '../api/client'
import { numberOf } from '../api/words'
import AskDialog from '../ui/AskDialog.vue'
import ChoiceRow from '../ui/ChoiceRow.vue'
import PickList from '../ui/PickList.vue'
import TextLine from '../ui/TextLine.vue'
import { useDeed } from './deed'

/* What happened to a job besides its stations: one question, then what it needs to know. */
type Deed = Schemas['Deed']
type What = Deed['deed'] | 'unfixed' | 'cancelled'
const shown = defineModel<boolean>('shown', { required: true })
const props = defineProps<{ page: Schemas['JobPage'] }>()
const emit = defineEmits<{ done: [card: Schemas['Traveller']] }>()
const { failure, tell } = useDeed()
const message = useMessage()
const { data: catalogue } = useQuery({ queryKey: ['catalogue'], queryFn: () => get('/api/v1/catalogue') })

const what = ref<What>('part_added')
const part = ref('')
const minutes = ref('')
const to = ref('')
const reason = ref('')
const thing = ref('')
const was = ref('')
const now = ref('')
const lasts = ref<Schemas['Lasts']>('loan')
const putBack = ref('')
const timer = ref('')
const lasting = ref('')
const over = computed(() => props.page.job.ended != null)
const paused = computed(() => props.page.traveller.paused != null)
const options = computed<{ value: What; label: string }[]>(() => {
  const back = { value: 'came_back' as const, label: 'the complaint came back' }
  if (over.value) return [{ value: 'reopened', label: 'it goes on: that was no end' }, back]
  const options: { value: What; label: string }[] = [{ value: 'part_added', label: 'one more part' }]
  if (props.page.job.replaced.length)
    options.push({ value: 'part_taken', label: 'a part not replaced after all' })
  options.push(
    back,
    paused.value ? { value: 'resumed', label: 'work goes on' } : { value: 'paused', label: 'pause' },
    { value: 'changed', label: 'something was changed' },
    { value: 'timer_set', label: 'a timer' },
    { value: 'handed_on', label: 'handed on to somebody' },
    { value: 'unfixed', label: 'end, not fixed' },
    { value: 'cancelled', label: 'cancel' },
  )
  if (props.page.changed.length) options.splice(-3, 0, { value: 'put_back', label: 'back as it belongs' })
  return options
})
watch(shown, (now) => {
  if (!now) return
  failure.value = ''
  if (!options.value.some((o) => o.value === what.value)) what.value = options.value[0]?.value ?? 'part_added'
})
const label = computed(() => {
  const names = (catalogue.value?.parts ?? []).flatMap((p) => p.replacements)
  return new Map(names.map((n) => [n.id as string, n.label]))
})
const parts = computed(() => {
  const ids = what.value === 'part_taken' ? (props.page.job.replaced as string[]) : [...label.value.keys()]
  // In the order of the alphabet, so that “tube” is the tube and not what else begins with it.
  return ids
    .map((id) => ({ value: id, label: label.value.get(id) ?? id }))
    .sort((a, b) => a.label.localeCompare(b.label))
})
const why: Record<What, string> = {
  part_added: 'Why is it replaced?',
  value_asked: 'Why?',
  part_taken: 'Why not?',
  came_back: 'What was seen?',
  waived: 'Why?',
  changed: 'Why?',
  put_back: 'Anything else to say of it',
  timer_set: '',
  timer_over: '',
  paused: 'Why? The job keeps its place.',
  resumed: '',
  handed_on: 'What should they know?',
  ended: 'Why?',
  unfixed: 'Why is it left as it is? What is open stays in doubt.',
  cancelled: 'Why?',
  reopened: 'Why does it go on?',
}
const replacement = computed(() => part.value as Schemas['Replacement'])
function deed(): Deed | null {
  const r = reason.value
  switch (what.value) {
    case 'part_added':
    case 'part_taken':
      return part.value ? { deed: what.value, part: replacement.value, reason: r } : null
    case 'came_back':
      return { deed: 'came_back', after_min: numberOf(minutes.value), reason: r }
    case 'handed_on':
      return { deed: 'handed_on', to: to.value, reason: r }
    case 'unfixed':
    case 'cancelled':
      return { deed: 'ended', how: what.value, reason: r }
    case 'paused':
    case 'reopened':
      return { deed: what.value, reason: r }
    case 'resumed':
      return { deed: 'resumed' }
    case 'changed':
      return {
        deed: 'changed',
        what: thing.value,
        was: was.value,
        now: now.value,
        lasts: lasts.value,
        reason: r,
      }
    case 'timer_set':
      return { deed: 'timer_set', what: timer.value, minutes: numberOf(lasting.value) ?? 0 }
    case 'put_back':
      return putBack.value ? { deed: 'put_back', what: putBack.value, reason: r } : null
    default:
      return null
  }
}
async function note() {
  failure.value = ''
  const body = deed()
  if (!body) {
    failure.value = what.value === 'put_back' ? 'Choose what was put back.' : 'Choose the part.'
    return
  }
  if (what.value === 'came_back' && minutes.value.trim() && numberOf(minutes.value) === null) {
    failure.value = `“${minutes.value}” is no number of minutes. Type it like 55, or leave it blank.`
    return
  }
  const card = await tell(props.page.job.id, body)
  if (!card) return
  shown.value = false
  /* What was changed for a try asks for nothing on the route: the hand stays where it is. */
  const stays = ['changed', 'put_back', 'timer_set'].includes(what.value)
  message.info(stays ? 'Noted.' : 'Noted. The plan follows.')
  for (const typed of [part, minutes, to, reason, thing, was, now, putBack, timer, lasting]) typed.value = ''
  if (!stays) emit('done', card)
}
</script>

<template>
  <AskDialog
    id="deed"
    v-model:shown="shown"
    :title="`What happened to job ${page.job.id}?`"
    :failure="failure"
    :width="640"
  >
    <ChoiceRow v-model="what" name="deed" label="What happened" :options="options" />
    <PickList
      v-if="what === 'part_added' || what === 'part_taken'"
      id="deed-part"
      v-model="part"
      label="Which part"
      :options="parts"
    />
    <TextLine
      v-if="what === 'came_back'"
      id="deed-minutes"
      v-model="minutes"
      label="After how many minutes of printing, if seen"
      decimal
    />
    <template v-if="what === 'changed'">
      <ChoiceRow
        v-model="lasts"
        name="deed-lasts"
        label="For how long"
        :options="[
          { value: 'loan', label: 'for a try' },
          { value: 'alteration', label: 'until it is put right' },
        ]"
      />
      <TextLine id="deed-thing" v-model="thing" label="What was changed, e.g. sensor type, covers" />
      <div class="pair">
        <TextLine id="deed-was" v-model="was" label="How it was" />
        <TextLine id="deed-now" v-model="now" label="How it is now" />
      </div>
    </template>
    <template v-if="what === 'timer_set'">
      <TextLine id="deed-timer" v-model="timer" label="What waits, e.g. anneal at 100 °C, dry, soak" />
      <TextLine id="deed-lasting" v-model="lasting" label="Minutes" decimal @enter="note" />
    </template>
    <PickList
      v-if="what === 'put_back'"
      id="deed-back"
      v-model="putBack"
      label="What was put back"
      :options="page.changed.map((c) => ({ value: c.what, label: c.says }))"
    />
    <TextLine v-if="what === 'handed_on'" id="deed-to" v-model="to" label="Who goes on" />
    <TextLine
      v-if="what !== 'resumed' && what !== 'timer_set'"
      id="deed-reason"
      v-model="reason"
      :label="why[what] ?? 'Why?'"
      @enter="note"
    />
    <template #ways>
      <NButton type="primary" @click="note">Note it</NButton>
      <NButton @click="shown = false">Leave it as it is</NButton>
    </template>
  </AskDialog>
</template>

<style scoped>
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px;
}
</style>
