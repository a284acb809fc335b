<script setup lang="ts">
import { useEventListener, useMediaQuery } from '@vueuse/core'
import { NButton, NDrawer, NDrawerContent, useMessage } from 'naive-ui'
import { computed, nextTick, provide, ref, toRef, watch, type Component } from 'vue'

import { ServerError, answer, client } from '../api/client'
import { signalWord } from '../api/words'
import AskDialog from '../ui/AskDialog.vue'
import BandPlot from '../ui/BandPlot.vue'
import { dialogOf, hold } from '../ui/onward'
import { shutKey } from '../ui/shut'
import CheckForm from './CheckForm.vue'
import FindingCard from './FindingCard.vue'
import GutterPanel from './GutterPanel.vue'
import HeaterLoopForm from './HeaterLoopForm.vue'
import LeaveOut from './LeaveOut.vue'
import PhotoStrip from './PhotoStrip.vue'
import StationForm from './StationForm.vue'
import { putAt } from './changes'
import { useStation } from './useStation'
import TextLine from '../ui/TextLine.vue'
import { useTyping } from '../ui/typing'

const props = defineProps<{ job: number; stationKey: string }>()
const emit = defineEmits<{ go: [key: string | null | undefined]; back: [station: string]; again: [] }>()
const message = useMessage()
const station = useStation(toRef(props, 'job'), toRef(props, 'stationKey'))
const {
  worktop,
  readings,
  finding,
  problems,
  failure,
  looking,
  kept,
  setUp,
  closing,
  loadError,
  conflicts,
  rival,
  choose,
} = station
/* "/runs/0" is the first of the runs. */
const placeOf = (path: string) =>
  path
    .slice(1)
    .split('/')
    .map((s) => (/^\d+$/.test(s) ? String(Number(s) + 1) : s.replaceAll('_', ' ')))
    .join(' ')
const shownText = (v: unknown) =>
  v === '' || v == null ? 'nothing' : typeof v === 'string' ? v : JSON.stringify(v)
/* Stations with a view of their own; every other one is shown from its form. */
const forms: Record<string, Component | undefined> = { check: CheckForm, heater_loop: HeaterLoopForm }
const waived = computed(() => worktop.value?.line.state === 'waived')
const closed = computed(() => waived.value || worktop.value?.line.state === 'closed')
const leaving = ref(false)
const counted = computed(
  () =>
    worktop.value?.line.state === 'stopped' && worktop.value.closings.at(-1)?.finding.facts.adjusts != null,
)
provide(
  shutKey,
  computed(() => closed.value || closing.value),
)
const narrow = useMediaQuery('(max-width: 900px)')
const gutterShown = ref(false)
const reopening = ref(false)
/* The cause of a stop was found and mended: the station begins a new count. */
const mending = ref(false)
const reason = ref('')
function ask(mended: boolean) {
  mending.value = mended
  reopening.value = true
}
const body = ref<HTMLElement>()
const typing = useTyping(body, '.scroll :is([data-reading], textarea)')

watch(
  () => readings.value !== null,
  async (there) => {
    if (!there) return
    await nextTick()
    const fields = [...(body.value?.querySelectorAll<HTMLElement>('[data-reading], [data-step]') ?? [])]
    const blank = fields.find(
      (f) =>
        f.offsetParent !== null &&
        (f instanceof HTMLInputElement && f.type === 'checkbox'
          ? !f.checked
          : !(f as HTMLInputElement).value),
    )
    // A round that is repeated may have all its readings, and a question left.
    const questions = [...(body.value?.querySelectorAll<HTMLElement>('[data-answers]') ?? [])]
    const seen = questions.filter((q) => q.offsetParent !== null)
    ;(blank ?? seen.map(hold).find(Boolean) ?? fields[0])?.focus()
  },
  { immediate: true },
)

/* Pictures of a search are of one print each. */
const pictured = computed(() => station.form.value?.pictured.map((says) => ({ id: says, act: says })))
function takeFromPhoto(path: string, value: string) {
  if (readings.value) putAt(readings.value, `/${path.replaceAll('.', '/')}`, value)
}

async function close() {
  const at = document.activeElement
  const got = await station.close()
  if (!got) {
    // The fields were shut while the server looked: the hand goes on where it was.
    await nextTick()
    if (at instanceof HTMLElement) at.focus()
    return
  }
  message.info(`${worktop.value?.line.title}: ${got.finding.words.headline}`)
  const here = got.traveller.lines.find((l) => l.key === props.stationKey)
  if ((here?.state === 'open' || here?.state === 'stopped') && here.waits_for.length === 0) {
    // An adjust or a stop: the same station again, from its new before. What came back is looked into first.
    emit('again')
    // Nothing is set here: what is to be done is done at the station that it names.
    const { verdict, send_back: station } = got.finding.facts
    if (verdict === 'adjust' && station) emit('back', station)
  } else {
    emit('go', got.traveller.now)
  }
  // Only now: the page may take this worktop away as soon as it knows the new route card.
  void station.refresh()
}
async function reopen() {
  try {
    // What was read until then is recorded first.
    if (mending.value && worktop.value?.line.state !== 'stopped' && !(await station.close())) return
    await answer(
      client.POST('/api/v1/jobs/{id}/stops/{key}/reopen', {
        params: { path: { id: props.job, key: props.stationKey } },
        body: { reason: mending.value ? `mended: ${reason.value}` : reason.value },
      }),
    )
    // Nobody types into what is about to be fetched anew.
    await station.refresh()
    reopening.value = false
    emit('again')
  } catch (e) {
    if (e instanceof ServerError) message.error(e.problem.detail)
  }
}
useEventListener(document, 'keydown', (event: KeyboardEvent) => {
  if (event.key === 'Enter' && (event.ctrlKey || event.metaKey) && !dialogOf(event)) {
    event.preventDefault()
    if (!closed.value) void close()
  }
})
</script>

<template>
  <p v-if="loadError" class="page error">{{ loadError.message }}</p>
  <div v-else-if="worktop && readings" class="bench" :class="{ narrow }">
    <section ref="body" class="worktop" :class="{ typing }" aria-label="Worktop">
      <!-- It scrolls, so the keyboard must reach it. -->
      <div class="scroll" tabindex="0">
        <h1>{{ setUp?.heading }}</h1>
        <!-- What is behind a tap elsewhere must be seen before the hand is at the machine. -->
        <p v-if="narrow && setUp?.caution" class="waits" role="note">
          <strong>{{ signalWord[setUp.caution.signal] }}.</strong> {{ setUp.caution.text }}
        </p>
        <p v-if="worktop.line.waits_for.length" class="waits" role="note">
          First close {{ worktop.line.waits_for.length === 1 ? 'the station' : 'the stations' }} this one
          rests on. You can type here already.
        </p>
        <p v-if="worktop.line.unproven.length" class="waits" role="note">
          Rests on an unproven value: {{ worktop.line.unproven.join(', ') }}.
        </p>
        <div v-for="c in closed ? [] : conflicts" :key="c.path" class="waits" role="alert">
          Two pages typed in “{{ placeOf(c.path) }}”: {{ shownText(c.kept) }} stands,
          {{ shownText(rival(c)) }} was typed too.
          <span class="ways">
            <NButton @click="choose(c, false)"> Leave {{ shownText(c.kept) }} </NButton>
            <NButton @click="choose(c, true)"> Take {{ shownText(rival(c)) }} </NButton>
          </span>
        </div>
        <ul v-if="setUp?.hints.length" class="hints">
          <li v-for="h in setUp.hints" :key="h">{{ h }}</li>
        </ul>
        <!-- Shut while it closes: what is typed then would belong to neither round. -->
        <fieldset class="form" :disabled="closed || closing">
          <legend class="visually-hidden">Readings</legend>
          <component
            :is="forms[worktop.station] ?? StationForm"
            :station="station"
            :job="job"
            :station-key="stationKey"
          />
        </fieldset>
        <PhotoStrip
          :job="job"
          :stop="stationKey"
          :printer="worktop.printer_id"
          :steps="worktop.sheet?.steps ?? pictured"
          :prints="Boolean(pictured?.length)"
          :asks="closed ? [] : (station.form.value?.photos ?? [])"
          @take="takeFromPhoto"
        />
        <BandPlot
          v-for="(b, i) in finding?.facts.bands.slice(1) ?? []"
          :key="b.id"
          :band="b"
          :words="finding?.words.bands[i + 1]"
        />
      </div>
      <div class="foot">
        <BandPlot
          v-if="finding?.facts.bands[0]"
          :band="finding.facts.bands[0]"
          :words="finding.words.bands[0]"
        />
        <FindingCard
          :finding="closed && !waived ? (worktop.closings.at(-1)?.finding ?? null) : finding"
          :problems="problems"
          :failure="failure"
          :closed="closed"
          :waived="worktop.line.waived"
          :busy="closing"
          :looking="looking"
          :cause="
            worktop.line.state === 'stopped' || stationKey === 'cause'
              ? { job, printer: worktop.printer_id, stop: stationKey }
              : null
          "
          :counted="counted"
          @close="close"
          @reopen="ask(false)"
          @mended="ask(true)"
          @back="(s) => emit('back', s)"
        />
        <p class="kept" role="status">
          <template v-if="waived">The next job opens it, if this one doesn’t.</template>
          <template v-else-if="closed">Closed; the readings are in the logbook.</template>
          <template v-else-if="kept.state === 'failed'"
            ><span class="error">Not kept yet. {{ kept.why }}</span></template
          >
          <template v-else-if="kept.state === 'saving'">keeping …</template>
          <template v-else-if="kept.state === 'kept'">Kept on disk.</template>
          <template v-else>Nothing typed yet.</template>
          <NButton
            v-if="!closed && worktop.line.can_waive"
            quaternary
            class="plain"
            aria-haspopup="dialog"
            @click="leaving = true"
          >
            Leave it out …
          </NButton>
          <NButton v-if="narrow" aria-haspopup="dialog" @click="gutterShown = true"> Why, commands </NButton>
        </p>
      </div>
    </section>
    <NDrawer v-if="narrow" v-model:show="gutterShown" placement="right" width="min(360px, 92vw)">
      <NDrawerContent
        title="Why, cautions, commands"
        closable
        body-content-style="padding: 0 0 var(--strip, 0px)"
      >
        <GutterPanel
          :station="station"
          :told="station.form.value?.groups.some((g) => g.told)"
          :why="worktop.line.reason"
          :set-up="setUp"
          :finding="finding"
          :closings="worktop.closings"
        />
      </NDrawerContent>
    </NDrawer>
    <GutterPanel
      v-else
      :station="station"
      :told="station.form.value?.groups.some((g) => g.told)"
      :why="worktop.line.reason"
      :set-up="setUp"
      :finding="finding"
      :closings="worktop.closings"
    />
    <LeaveOut
      v-model:shown="leaving"
      :job="job"
      :line="worktop.line"
      @done="(card) => emit('go', card.now)"
    />
    <AskDialog
      id="reopen"
      v-model:shown="reopening"
      :title="mending ? 'What was it, and how was it mended?' : 'Open this station again?'"
    >
      <p class="quiet">
        {{
          mending
            ? 'It goes into the logbook; the adjusts are counted anew from here.'
            : 'The old result stays in the logbook.'
        }}
      </p>
      <TextLine
        id="reopen-reason"
        v-model="reason"
        :label="mending ? 'What was mended' : 'Why'"
        @enter="reopen"
      />
      <template #ways>
        <NButton type="primary" @click="reopen">{{ mending ? 'Begin a new count' : 'Reopen' }}</NButton>
        <NButton @click="reopening = false">{{ mending ? 'Not yet' : 'Leave it closed' }}</NButton>
      </template>
    </AskDialog>
  </div>
  <p v-else class="page quiet">Opening the station …</p>
</template>

<style scoped>
.bench {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 276px;
  min-height: 0;
  height: 100%;
}
.worktop {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
/* What is laid out of the flow in it scrolls with it, and doesn't stretch the page. */
.scroll {
  position: relative;
  flex: 1;
  overflow: auto;
  padding: 20px 28px 10px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.scroll > * {
  flex: none;
  min-width: 0;
}
.narrow {
  grid-template-columns: minmax(0, 1fr);
}
.narrow .scroll {
  padding: 12px 16px 8px;
}
.narrow .foot {
  padding: 0 16px 8px;
}
/* While one types on a low screen the foot is one line: the form is what is looked at. The button stays where
   it is, so that a click that takes the focus from a field still meets it. */
@media (max-height: 900px), (max-width: 900px) {
  .typing .foot > :deep(.band) {
    display: none;
  }
  .typing :deep(.says > :not(.head)) {
    display: none;
  }
}
.hints {
  margin: 0;
  padding: 0;
  list-style: none;
  color: var(--ink2);
}
.waits {
  border-left: 4px solid var(--caution);
  padding-left: 10px;
}
.form {
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.foot {
  padding: 0 28px 10px;
}
.kept {
  display: flex;
  justify-content: space-between;
  align-items: center;
  font-size: 14px;
  color: var(--ink2);
  padding-top: 4px;
  min-height: 24px;
}
:deep(.grid) {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(170px, 1fr));
  gap: 10px 12px;
  /* A complaint below one field moves none of the others. */
  align-items: start;
}
:deep(summary) {
  cursor: pointer;
  min-height: 36px;
  padding: 6px 0;
  color: var(--ink2);
}
</style>
