<script setup lang="ts">
import { useMediaQuery } from '@vueuse/core'
import { NButton, NCheckbox, NInput } from 'naive-ui'
import { useRouter } from 'vue-router'
import { computed, nextTick, ref, watch, type Component } from 'vue'

import type { Schemas } from '../api/client'
import { usePen } from '../app/pen'
import { drawings, type Shown } from '../drawings/registry'
import RoutineBar from '../live/RoutineBar.vue'
import ChoiceRow from '../ui/ChoiceRow.vue'
import FoldedPart from '../ui/FoldedPart.vue'
import PickList from '../ui/PickList.vue'
import ReadingField from '../ui/ReadingField.vue'
import StringsPick from '../ui/StringsPick.vue'
import InstrumentPick from './InstrumentPick.vue'
import LinkHint from './LinkHint.vue'
import ReportField from './ReportField.vue'
import TableRows from './TableRows.vue'
import { lookUp, putAt } from './changes'
import { useLink } from './useLink'
import { type Station, useForm } from './useStation'

/* Any station, from its form: groups of fields, drawings and deeds as the core describes them. */
const props = defineProps<{ station: Station; job: number; stationKey: string }>()
const { temperature } = usePen()
const narrow = useMediaQuery('(max-width: 600px)')
const { r, f, v, says } = useForm(props)
const link = useLink(props.station)
const router = useRouter()
const pieces = computed(() => props.station.form.value?.pieces ?? [])
/* The page that makes pieces, with what this one is to have; its print leads back here. */
async function makePiece(name: string) {
  const worktop = props.station.worktop.value
  // What was typed a moment ago counts too.
  if (!worktop || !(await props.station.settled())) return
  const p = pieces.value.find((piece) => piece.name === name)
  if (!p) return
  void router.push({
    path: '/prints',
    query: {
      piece: p.name,
      printer: String(worktop.printer_id),
      filament: props.stationKey.split('.')[1] ?? '',
      set: JSON.stringify(p.set),
      back: `${router.currentRoute.value.path}`,
    },
  })
}
const groups = computed(() => props.station.form.value?.groups ?? [])
const asked = (g: Schemas['Group']) => g.fields.filter((field) => !field.hidden)
const pointer = (path: string) => `/${path.replaceAll('.', '/')}`
const at = (path: string) => lookUp(r.value, pointer(path))
const text = (path: string) => {
  const found = at(path)
  return typeof found === 'string' || typeof found === 'number' ? String(found) : ''
}
const put = (path: string, value: unknown) => {
  putAt(r.value, pointer(path), value)
}
/* Reference pictures by the names that forms call them. */
const pictures: Record<string, Component | undefined> = { strings: StringsPick }
const yesNo = [
  { value: 'yes', label: 'yes' },
  { value: 'no', label: 'no' },
]
const optionsOf = (field: Schemas['Field']) =>
  field.kind === 'choice' ? field.options.map((o) => ({ value: o.id, label: o.label })) : yesNo
function choose(field: Schemas['Field'], value: string) {
  put(field.path, value)
  if (field.kind !== 'choice') return
  for (const s of field.options.find((o) => o.id === value)?.sets ?? []) put(s.path, s.value)
}
/** What every kind of choice needs. */
const chosen = (field: Schemas['Field']) => ({
  modelValue: text(field.path),
  label: field.label,
  options: optionsOf(field),
  error: props.station.errorOf(field.path)?.message,
  'onUpdate:modelValue': (value?: string | null) => {
    choose(field, value ?? '')
  },
})
/* What was added is typed next: the keyboard goes there once the form has it, unless it went elsewhere meanwhile. */
let grown: { path: string; from: Element | null } | null = null
function grow(more: Schemas['More']) {
  const series = at(more.path)
  if (!Array.isArray(series)) return
  grown = { path: `${more.path}.${String(series.length)}`, from: document.activeElement }
  series.push(JSON.parse(JSON.stringify(more.value)))
}
watch(groups, async () => {
  const here = grown
  const added = groups.value
    .flatMap(asked)
    .find((field) => here && (field.path === here.path || field.path.startsWith(`${here.path}.`)))
  if (!here || !added) return
  grown = null
  await nextTick()
  if (document.activeElement !== here.from) return
  document.getElementById(`f-${added.path.replaceAll('.', '-')}`)?.focus()
})
const shown = computed<Shown>(() => ({
  readings: r.value,
  finding: props.station.finding.value,
  v,
  says,
  nozzleC: link.nozzleC.value ?? null,
}))
const drawn = (name: string | null | undefined) => (name ? drawings[name] : undefined)

/* A folded group opens by itself where something inside needs a look; it folds only by hand. */
const open = ref<number[]>([])
watch(props.station.problems, () => {
  groups.value.forEach((g, i) => {
    const looks = asked(g).some((field) => props.station.errorOf(field.path))
    if (g.folded && looks && !open.value.includes(i)) open.value.push(i)
  })
})

const nozzle = computed(() => link.nozzleC.value ?? null)
const saysOf = (act: Schemas['Act']) =>
  act.action === 'take_temperatures' && !act.bed && nozzle.value !== null
    ? `${act.says}, ${temperature(nozzle.value)}`
    : act.says
const shut = (act: Schemas['Act']) =>
  link.busy.value ||
  (act.action === 'take_temperatures' ? nozzle.value === null : link.running.value !== null)
async function run(act: Schemas['Act']) {
  const here = { job: props.job, stop: props.stationKey }
  switch (act.action) {
    case 'ask_limit':
      await link.run('limit', act.target_c, {}, here)
      return
    case 'warm':
      await link.run('warm', act.target_c, {}, here)
      return
    case 'take_temperatures':
      if (nozzle.value === null) return
      put(act.nozzle, nozzle.value.toFixed(1))
      if (act.bed && link.bedC.value != null) put(act.bed, link.bedC.value.toFixed(1))
      return
    case 'write_commands': {
      const lines = props.station.finding.value?.facts.commands.map((c) => c.line) ?? []
      const got = await link.write(lines)
      if (got?.report) put('report', got.report)
    }
  }
}
</script>

<template>
  <div v-if="pieces.length" class="deeds">
    <NButton v-for="p in pieces" :key="p.name" @click="makePiece(p.name)">{{ p.says }}</NButton>
  </div>
  <component
    :is="g.folded ? FoldedPart : 'section'"
    v-for="(g, i) in groups"
    :key="i"
    v-bind="g.folded ? { title: g.title, open: open.includes(i) } : {}"
    @update:open="(on: boolean) => (open = on ? [...new Set([...open, i])] : open.filter((o) => o !== i))"
  >
    <div class="group">
      <h2 v-if="g.title && !g.folded">{{ g.title }}</h2>
      <LinkHint v-if="g.unlinked" :station="station" :otherwise="g.unlinked" />
      <div :class="{ beside: g.beside }">
        <!-- On a phone it scrolls sideways, so that its labels stay legible. -->
        <div v-if="g.drawing" class="drawing" :tabindex="narrow ? 0 : undefined">
          <component :is="drawn(g.drawing)?.view" v-bind="drawn(g.drawing)?.props(shown)" />
        </div>
        <TableRows
          v-if="g.columns > 0"
          :fields="asked(g)"
          :columns="g.columns"
          :says="g.told ? (station.finding.value?.words.rows ?? []).map((row) => row.after ?? '') : []"
          :bind="f"
          :text="text"
          @put="put"
        />
        <div v-else-if="asked(g).length" class="grid" :class="{ large: g.large, column: g.beside }">
          <template v-for="field in asked(g)" :key="field.path">
            <ReadingField
              v-if="field.kind === 'number' || (field.kind === 'text' && field.most <= 2000)"
              v-bind="f(field.path)"
              :model-value="text(field.path)"
              :label="field.label"
              :words="field.kind === 'text'"
              :small="!g.large"
              :class="{ wide: field.kind === 'text' && !g.large }"
              @update:model-value="(value) => put(field.path, value)"
            />
            <PickList
              v-else-if="field.kind === 'choice' && field.list"
              :id="`f-${field.path}`"
              :class="{ broad: field.options.length > 4 }"
              v-bind="chosen(field)"
            />
            <ChoiceRow
              v-else-if="field.kind === 'choice' || field.kind === 'yes_no'"
              :class="{ wide: field.kind === 'choice' }"
              :name="field.path"
              v-bind="chosen(field)"
            />
            <component
              :is="pictures[field.pictures]"
              v-else-if="field.kind === 'picture'"
              class="wide"
              :model-value="text(field.path)"
              :error="station.errorOf(field.path)?.message"
              @update:model-value="(value: string) => put(field.path, value)"
            />
            <InstrumentPick
              v-else-if="field.kind === 'instrument'"
              :model-value="text(field.path)"
              :station="station"
              :label="field.label"
              :kinds="field.kinds"
              @update:model-value="(value) => put(field.path, value)"
            />
            <NCheckbox
              v-else-if="field.kind === 'tick'"
              :checked="Boolean(at(field.path))"
              @update:checked="(value) => put(field.path, value)"
            >
              {{ field.label }}
            </NCheckbox>
            <ReportField
              v-else-if="field.kind === 'report'"
              class="wide"
              :model-value="text(field.path)"
              :station="station"
              :field="field"
              @update:model-value="(value) => put(field.path, value)"
            />
            <div v-else-if="field.kind === 'text'" class="wide">
              <label :for="`f-${field.path}`">{{ field.label }}</label>
              <NInput
                :value="text(field.path)"
                type="textarea"
                placeholder=""
                :rows="3"
                :maxlength="field.most"
                :input-props="{ id: `f-${field.path}` }"
                @update:value="(value) => put(field.path, value)"
              />
              <p v-if="station.errorOf(field.path)" class="error">
                {{ station.errorOf(field.path)?.message }}
              </p>
            </div>
            <p v-if="field.hint" class="quiet wide">{{ field.hint }}</p>
          </template>
        </div>
      </div>
      <div v-if="g.more.length || (g.acts.length && link.connected.value)" class="deeds">
        <NButton v-for="m in g.more" :key="m.path" @click="grow(m)">{{ m.label }}</NButton>
        <template v-if="link.connected.value">
          <NButton v-for="a in g.acts" :key="a.says" :disabled="shut(a)" @click="run(a)">
            {{ saysOf(a) }}
          </NButton>
        </template>
      </div>
      <template v-if="g.acts.length">
        <RoutineBar
          v-if="link.running.value && link.id.value"
          :printer="link.id.value"
          :routine="link.running.value"
        />
        <p v-if="link.failure.value" class="error" role="alert">{{ link.failure.value }}</p>
      </template>
    </div>
  </component>
</template>

<style scoped>
.group {
  display: flex;
  flex-direction: column;
  gap: 12px;
  min-width: 0;
}
.group > *,
.beside > * {
  min-width: 0;
}
.beside {
  display: grid;
  grid-template-columns: minmax(220px, 1fr) minmax(0, 1fr);
  gap: 20px;
  align-items: start;
}
.group :deep(svg[role='img']) {
  max-height: 220px;
}
.drawing {
  overflow-x: auto;
}
.drawing :deep(svg) {
  display: block;
  width: 100%;
}
@media (max-width: 600px) {
  /* As wide as its smallest label wants it: 12 px. */
  .drawing :deep(svg) {
    min-width: var(--least, 735px);
  }
  .group .drawing :deep(svg[role='img']) {
    max-height: none;
  }
  .beside {
    grid-template-columns: minmax(0, 1fr);
  }
}
.grid.large {
  grid-template-columns: repeat(auto-fill, minmax(165px, 1fr));
}
.grid.column {
  grid-template-columns: repeat(auto-fill, minmax(96px, 1fr));
}
.wide {
  grid-column: 1 / -1;
}
/* Names of sensors are long. */
@media (min-width: 1100px) {
  .broad {
    grid-column: span 2;
  }
}
.deeds .n-button {
  height: auto;
  min-height: 44px;
  max-width: 100%;
  padding-block: 6px;
  white-space: normal;
}
.deeds {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
}
</style>
