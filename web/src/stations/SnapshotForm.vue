<script setup lang="ts">
import ReadingField from '../ui/ReadingField.vue'
import ReportField from './ReportField.vue'
import { type Station, useForm } from './useStation'

const props = defineProps<{ station: Station }>()
const { r, f } = useForm(props)
</script>

<template>
  <ReportField :station="station" />
  <ReadingField
    v-if="!r.report"
    v-model="r.none_because"
    v-bind="f('none_because')"
    label="No report? Say why"
    words
    small
  />
</template>
