<script setup lang="ts">
import { useMediaQuery } from '@vueuse/core'
import { NButton, useMessage } from 'naive-ui'
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import type { Schemas } from '../api/client'
import PhotoStrip from '../stations/PhotoStrip.vue'
import FoldedPart from '../ui/FoldedPart.vue'
import { toHeading } from '../ui/heading'
import CausePanel from './CausePanel.vue'
import CheckCard from './CheckCard.vue'
import EndPart from './EndPart.vue'
import KnownList from './KnownList.vue'
import LadderList from './LadderList.vue'
import OtherDialog from './OtherDialog.vue'
import ProvenCard from './ProvenCard.vue'
import SawDialog from './SawDialog.vue'
import { useCase, type CaseEntry } from './useCase'

const route = useRoute()
const router = useRouter()
const message = useMessage()
const id = computed(() => Number(route.params.id))
const { data, error, failure, busy, tell, takeLog, isBack, end, jobFor, followUp, price } = useCase(id)
const narrow = useMediaQuery('(max-width: 900px)')
/* A check stays until its questions are answered, whatever comes next by then. */
const pinned = ref<string | null>(null)
const saw = ref(false)
const other = ref(false)
/* Somebody took another one in hand than what is proposed, or proven. */
const taken = ref(false)
/* Somebody looked at what was proven, and doesn't believe it. */
const goesOn = ref(false)
const all = computed(() => [...(data.value?.next ? [data.value.next] : []), ...(data.value?.others ?? [])])
const step = computed(() => {
  const kept = all.value.find((s) => s.id === pinned.value)
  const open = kept?.kind === 'remedy' || kept?.questions.some((q) => q.answer == null)
  return (open ? kept : null) ?? data.value?.next ?? null
})
const over = computed(() => data.value?.case.ended_at != null)
const shown = computed(() => {
  const page = data.value
  if (!page) return 'nothing'
  if (over.value) return 'over'
  if (page.proposals.length) return 'sentence'
  if (page.proven && !goesOn.value && !taken.value && (!pinned.value || !unanswered(pinned.value)))
    return 'proven'
  return step.value ? 'step' : 'nothing_left'
})
function unanswered(action: string) {
  const s = all.value.find((x) => x.id === action)
  return s ? s.questions.some((q) => q.answer == null) && s.questions.some((q) => q.answer != null) : false
}
function take(action: string) {
  pinned.value = action
  taken.value = true
}
watch(id, () => {
  pinned.value = null
  taken.value = false
  goesOn.value = false
})
async function told(entries: CaseEntry[], typed: { observation: string; value: string }[]) {
  const at = step.value
  const page = await tell(entries, typed)
  if (!page) return null
  pinned.value = at && unanswered(at.id) ? at.id : null
  taken.value = taken.value && pinned.value !== null
  return page
}
/* A dialog closes once what was said in it is kept; what is refused stays in it with why. */
async function passOver(action: string, reason: string) {
  if (await told([{ entry: 'passed_over', action, reason }], [])) other.value = false
}
async function sawIt(entries: CaseEntry[]) {
  if (await tell(entries)) saw.value = false
}
async function ended(body: Schemas['EndCase']) {
  const got = await end(body)
  if (!got) return
  if (got.job != null) {
    message.info('The job’s parts and values are filled in.')
    await router.push(`/jobs/${got.job}`)
  }
}
async function onJob(by: string) {
  const got = await jobFor(by)
  if (got?.job == null) return
  message.info('It is on the job. Come back here when it is done: did it help?', { duration: 9000 })
  await router.push(`/jobs/${got.job}`)
}
/* What was pressed is gone with its check: the hand goes on at the next one, in its field where it has one. */
const middle = ref<HTMLElement>()
function handOn() {
  const field = middle.value?.querySelector<HTMLElement>('[data-first] input')
  if (field) field.focus()
  else toHeading(middle.value)
}
/* A dialog gives the focus back to what opened it; after another check was chosen, that is the wrong place. */
async function otherClosed() {
  await nextTick()
  if (taken.value || pinned.value) handOn()
}
watch(
  () => [shown.value, step.value?.id, data.value?.seen.length],
  async () => {
    await nextTick()
    const at = document.activeElement
    if (!at || at === document.body || at.tagName === 'MAIN') handOn()
  },
  { immediate: true, flush: 'post' },
)
const sentences = computed(() => data.value?.proposals ?? [])
function answerSentence(observation: string, so: boolean) {
  void tell([{ entry: 'seen', observation, answer: so ? 'yes' : 'no', from: 'sentence' }])
}
const allOfIt = () =>
  tell(
    sentences.value.map((p) => ({
      entry: 'seen' as const,
      observation: p.observation,
      answer: 'yes',
      from: 'sentence' as const,
    })),
  )
const back = (observation: string) => void tell([{ entry: 'taken_back', observation }])
const undo = (action: string) => void tell([{ entry: 'undone', action }])
</script>

<template>
  <p v-if="error" class="page error">{{ error.message }}</p>
  <div v-else-if="data" class="wrong" :class="{ narrow }">
    <aside v-if="!narrow" class="evidence" aria-label="Evidence" tabindex="0">
      <KnownList :page="data" :shut="over" @back="back" @undo="undo" @add="saw = true" @again="isBack" />
    </aside>
    <div ref="middle" class="middle" tabindex="0">
      <section v-if="shown === 'sentence'" class="sentence" aria-label="What the sentence means">
        <p class="kind">From the customer’s sentence</p>
        <h1>Is it so?</h1>
        <p class="quiet">“{{ data.case.sentence }}”</p>
        <fieldset v-for="p in sentences" :key="p.observation">
          <legend>
            {{ p.asks }} <span class="quiet">(“{{ p.because }}”)</span>
          </legend>
          <div class="ways">
            <NButton
              :disabled="busy"
              :aria-label="`Yes: ${p.asks}`"
              @click="answerSentence(p.observation, true)"
              >Yes</NButton
            >
            <NButton
              :disabled="busy"
              :aria-label="`No: ${p.asks}`"
              @click="answerSentence(p.observation, false)"
              >No</NButton
            >
          </div>
        </fieldset>
        <p>
          <NButton type="primary" :disabled="busy" @click="allOfIt"> All of it is so </NButton>
        </p>
        <p v-if="failure" class="error" role="alert">{{ failure }}</p>
      </section>
      <ProvenCard
        v-else-if="shown === 'proven'"
        :page="data"
        :failure="failure"
        :busy="busy"
        @end="ended"
        @price="price"
        @now="take"
        @on="goesOn = true"
      />
      <CheckCard
        v-else-if="shown === 'step' && step"
        :key="data.case.id"
        :page="data"
        :step="step"
        :why="step.id === data.next?.id ? data.why : ''"
        :failure="failure"
        :busy="busy"
        @tell="told"
        @log="takeLog"
        @pass="other = true"
        @job="onJob"
      />
      <EndPart
        v-else
        :page="data"
        :failure="failure"
        :busy="busy"
        @end="ended"
        @follow="followUp"
        @saw="saw = true"
      />
      <div v-if="narrow" class="folded">
        <FoldedPart title="What it may be" :says="data.causes[0]?.label"
          ><CausePanel :page="data"
        /></FoldedPart>
        <FoldedPart title="What is known" :says="String(data.seen.length)">
          <KnownList :page="data" :shut="over" @back="back" @undo="undo" @add="saw = true" @again="isBack" />
        </FoldedPart>
      </div>
      <LadderList v-if="!over && shown !== 'sentence'" :page="data" @take="take" />
      <FoldedPart v-if="data.open_job" title="Pictures of it">
        <PhotoStrip :job="data.open_job" stop="intake" />
      </FoldedPart>
      <FoldedPart v-if="!over" title="End, ask again later, write to somebody">
        <EndPart
          :page="data"
          plain
          :failure="failure"
          :busy="busy"
          @end="ended"
          @follow="followUp"
          @saw="saw = true"
        />
      </FoldedPart>
    </div>
    <aside v-if="!narrow" class="causes" aria-label="Causes" tabindex="0"><CausePanel :page="data" /></aside>
    <SawDialog v-model:shown="saw" :page="data" :failure="failure" @tell="sawIt" />
    <OtherDialog
      v-model:shown="other"
      :page="data"
      :step="step"
      :failure="failure"
      @take="take"
      @pass="passOver"
      @closed="otherClosed"
    />
  </div>
  <p v-else class="page quiet">Opening the case …</p>
</template>

<style scoped>
.wrong {
  display: grid;
  grid-template-columns: 256px minmax(0, 1fr) 304px;
  height: 100%;
}
.wrong.narrow {
  display: block;
}
.evidence {
  background: var(--sheet);
  border-right: 2px dotted var(--ink2);
  overflow: auto;
  position: relative;
}
.causes {
  border-left: 1px solid var(--rule);
  overflow: auto;
  position: relative;
}
.middle {
  position: relative;
  overflow: auto;
  padding: 18px 28px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.narrow .middle {
  padding: 12px 16px;
}
.sentence {
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.sentence legend {
  color: var(--ink);
  font-size: 17px;
  margin-bottom: 4px;
}
.kind {
  color: var(--ink2);
  font-weight: 600;
}
</style>
