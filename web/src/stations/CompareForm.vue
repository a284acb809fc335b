<script setup lang="ts">
import { computed } from 'vue'

import ChoiceRow from '../ui/ChoiceRow.vue'
import ReadingField from '../ui/ReadingField.vue'
import ReportField from './ReportField.vue'
import { useLink } from './useLink'
import { type Station, useForm } from './useStation'

const props = defineProps<{ station: Station }>()
const { r, f } = useForm(props)
const link = useLink(props.station)
/** What changed, with the station that did it; the finding's rows say it in words. */
const changes = computed(() => {
  const finding = props.station.finding.value
  const own = (finding?.facts.own ?? {}) as { changed?: { by: string | null }[] }
  return (own.changed ?? []).flatMap((c, i) => {
    const row = finding?.words.rows[i]
    return row ? [{ ...row, by: c.by }] : []
  })
})
const commands = computed(() => props.station.finding.value?.facts.commands ?? [])
async function write() {
  const got = await link.write(commands.value.map((c) => c.line))
  if (got) r.value.report = got.report || r.value.report
}
</script>

<template>
  <ChoiceRow
    v-model="r.power_cycled"
    name="power-cycled"
    label="Was the printer switched off and on before this reading?"
    :options="[
      { value: 'yes', label: 'yes' },
      { value: 'no', label: 'no' },
    ]"
    :error="station.errorOf('power_cycled')?.message"
  />
  <ReportField :station="station" />
  <ReadingField
    v-if="!r.report"
    v-model="r.none_because"
    v-bind="f('none_because')"
    label="No report? Say why"
    words
    small
  />
  <div v-if="changes.length">
    <h2>What changed since the snapshot</h2>
    <table>
      <thead>
        <tr>
          <th scope="col">Setting (station)</th>
          <th scope="col">Before</th>
          <th scope="col">Now</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="c in changes" :key="c.name" :class="{ odd: c.by === null }">
          <th scope="row">{{ c.name }}</th>
          <td class="mono">{{ c.before ?? '–' }}</td>
          <td class="mono">{{ c.after ?? '–' }}</td>
        </tr>
      </tbody>
    </table>
  </div>
  <p v-else-if="r.report" class="quiet">Nothing changed since the snapshot.</p>
  <div v-if="commands.length && link.connected.value">
    <button type="button" class="soft" :disabled="link.busy.value" @click="write">
      Write and store them again
    </button>
  </div>
  <p v-if="link.failure.value" class="error" role="alert">{{ link.failure.value }}</p>
  <ReadingField
    v-if="changes.some((c) => c.by === null) || r.explained"
    v-model="r.explained"
    v-bind="f('explained')"
    label="Why did it change, where no station did it?"
    words
    small
  />
</template>

<style scoped>
table {
  border-collapse: collapse;
  width: 100%;
  font-size: 15px;
}
th {
  text-align: left;
  font-weight: 400;
}
thead th {
  color: var(--ink2);
}
th,
td {
  border-bottom: 1px solid var(--rule);
  padding: 4px 10px 4px 0;
}
.odd th {
  color: var(--stop);
  font-weight: 700;
}
</style>
