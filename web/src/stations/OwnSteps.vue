<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, ref, watch } from 'vue'

import { answer, client, ServerError, type Schemas } from '../api/client'
import AskDialog from '../ui/AskDialog.vue'
import ChoiceRow from '../ui/ChoiceRow.vue'
import PickList from '../ui/PickList.vue'
import TextLine from '../ui/TextLine.vue'

/* A step of the shop's own: added to this list or put in the place of one, for all jobs to come. */
const shown = defineModel<boolean>('shown', { required: true })
const props = defineProps<{ list: string; steps: Schemas['Step'][] }>()
const emit = defineEmits<{ done: [] }>()
const queries = useQueryClient()
const where = ref<'after' | 'instead'>('after')
const at = ref('')
const act = ref('')
const check = ref('')
const failure = ref('')
const busy = ref(false)
const own = computed(() => props.steps.filter((s) => s.own))
const first = (text: string) => text.split(/[.;]/)[0] ?? text
const places = computed(() => {
  const steps = props.steps.map((s, i) => ({ value: s.id, label: `${i + 1}. ${first(s.act)}` }))
  return where.value === 'after' ? [...steps, { value: '', label: 'before all others' }] : steps
})
watch(shown, (now) => {
  if (!now) return
  failure.value = ''
  at.value = props.steps.at(-1)?.id ?? ''
})
/* What is bettered begins with its own words. */
watch([where, at], () => {
  const step = props.steps.find((s) => s.id === at.value)
  if (where.value !== 'instead' || !step) return
  act.value = step.act
  check.value = step.check
})
async function tell(call: Promise<unknown>) {
  busy.value = true
  failure.value = ''
  try {
    await call
    await queries.invalidateQueries({ queryKey: ['house'] })
    emit('done')
    return true
  } catch (e) {
    failure.value = e instanceof ServerError ? (e.problem.errors[0]?.message ?? e.problem.detail) : String(e)
    return false
  } finally {
    busy.value = false
  }
}
async function keep() {
  const body: Schemas['OwnStep'] = {
    list: props.list,
    id: where.value === 'instead' ? at.value : `own_${Date.now().toString(36)}`,
    after: where.value === 'after' ? at.value : '',
    act: act.value,
    check: check.value,
  }
  if (!(await tell(answer(client.PUT('/api/v1/house/steps', { body }))))) return
  act.value = ''
  check.value = ''
  shown.value = false
}
const drop = (id: string) =>
  tell(
    answer(client.DELETE('/api/v1/house/steps/{list}/{id}', { params: { path: { list: props.list, id } } })),
  )
</script>

<template>
  <AskDialog id="own-step" v-model:shown="shown" title="A step of this shop" :failure="failure" :width="560">
    <p class="quiet">It stands in this list in all jobs to come. Cautions and gates stay as they are.</p>
    <ul v-if="own.length" class="own">
      <li v-for="s in own" :key="s.id">
        <span>{{ s.act }}</span>
        <NButton :disabled="busy" :aria-label="`Take away: ${s.act}`" @click="drop(s.id)">
          Take away
        </NButton>
      </li>
    </ul>
    <ChoiceRow
      v-model="where"
      name="own-where"
      label="Where does it stand?"
      :options="[
        { value: 'after', label: 'after a step' },
        { value: 'instead', label: 'in the place of a step' },
      ]"
    />
    <PickList id="own-at" v-model="at" label="Which step" :options="places" />
    <TextLine id="own-act" v-model="act" label="What to do" />
    <TextLine id="own-check" v-model="check" label="What proves it, if anything" @enter="keep" />
    <template #ways>
      <NButton type="primary" :disabled="busy" @click="keep">Keep it</NButton>
      <NButton @click="shown = false">Leave it</NButton>
    </template>
  </AskDialog>
</template>

<style scoped>
.own {
  list-style: none;
  margin: 0;
  padding: 0;
}
.own li {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  align-items: center;
  padding: 4px 0;
}
</style>
