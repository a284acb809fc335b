<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import DriveDrawing from '../drawings/DriveDrawing.vue'
import ReadingField from '../ui/ReadingField.vue'
import InstrumentPick from './InstrumentPick.vue'
import { type Station, useForm } from './useStation'

const props = defineProps<{ station: Station }>()
const { r, f, v, says } = useForm(props)
/** The last run that is typed. */
const newest = computed(() => `runs.${(r.value.runs as unknown[]).findLastIndex((x) => x)}`)
/* Unfolds by itself where something inside needs a look; folds only by hand. */
const unfolded = ref(false)
watch(props.station.problems, (all) => {
  if (all.some((p) => !/runs/.test(p.field))) unfolded.value = true
})
</script>

<template>
  <DriveDrawing
    :mark="v('mark_mm')"
    :mark-says="says('mark_mm')"
    :rest="v(newest)"
    :rest-says="says(newest)"
  />
  <div class="runs">
    <ReadingField
      v-for="(_, i) in r.runs"
      :key="i"
      v-model="r.runs[i]"
      v-bind="f(`runs.${i}`)"
      :label="`Run ${Number(i) + 1}, left over`"
    />
    <div class="more">
      <InstrumentPick v-model="r.instrument" :station="station" :kinds="['rule', 'caliper']" />
      <button type="button" class="soft" @click="r.runs.push('')">One more run</button>
    </div>
  </div>
  <details :open="unfolded" @toggle="unfolded = ($event.target as HTMLDetailsElement).open">
    <summary>Set-up: mark, feed, speed, steps set, the drive as built</summary>
    <div class="grid">
      <ReadingField v-model="r.steps_set" v-bind="f('steps_set')" label="Steps/mm set" small />
      <ReadingField v-model="r.mark_mm" v-bind="f('mark_mm')" label="Mark above inlet" small />
      <ReadingField v-model="r.feed_mm" v-bind="f('feed_mm')" label="Feed" small />
      <ReadingField v-model="r.speed_mm_s" v-bind="f('speed_mm_s')" label="Slow feed" small />
      <ReadingField v-model="r.nozzle_c" v-bind="f('nozzle_c')" label="Nozzle" small />
      <ReadingField v-model="r.full_steps" v-bind="f('full_steps')" label="Full steps per turn" small />
      <ReadingField v-model="r.microsteps" v-bind="f('microsteps')" label="Microsteps" small />
      <ReadingField v-model="r.gear_ratio" v-bind="f('gear_ratio')" label="Gear ratio" small />
      <ReadingField v-model="r.drive_diameter_mm" v-bind="f('drive_diameter_mm')" label="Drive wheel" small />
    </div>
  </details>
  <details>
    <summary>Does it slip? One fast run, one run free in air</summary>
    <div class="grid">
      <ReadingField v-model="r.fast_mm_s" v-bind="f('fast_mm_s')" label="Fast feed" small />
      <ReadingField
        v-for="(_, i) in r.fast_runs"
        :key="`fast${i}`"
        v-model="r.fast_runs[i]"
        v-bind="f(`fast_runs.${i}`)"
        label="Fast run, left over"
        small
      />
      <ReadingField
        v-for="(_, i) in r.free_runs"
        :key="`free${i}`"
        v-model="r.free_runs[i]"
        v-bind="f(`free_runs.${i}`)"
        label="Free in air, left over"
        small
      />
      <button type="button" class="soft" @click="r.fast_runs.push('')">One more fast run</button>
      <button type="button" class="soft" @click="r.free_runs.push('')">One more free run</button>
    </div>
  </details>
</template>

<style scoped>
.runs > button {
  align-self: end;
  min-height: 56px;
}
.runs {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(148px, 1fr));
  gap: 12px;
  align-items: start;
}
.more {
  display: flex;
  flex-direction: column;
  gap: 6px;
}
</style>
