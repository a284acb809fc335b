<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import type { Schemas } from '../api/client'
import { onward } from './onward'

const model = defineModel<Schemas['Entry']>()
const props = defineProps<{
  path: string
  label: string
  /** Unit of the shop, and the one in which a number without a unit is kept. */
  unit?: string
  kept?: string
  /** Where the value was taken from, if it wasn't typed. */
  from?: string
  error?: Schemas['FieldError']
  small?: boolean
  /** A cell of a table: its name stands above the column. */
  cell?: boolean
  words?: boolean
}>()
const emit = defineEmits<{ accept: [value: string]; confirm: [] }>()
const id = computed(() => `f-${props.path.replaceAll('.', '-')}`)
/* Where the shop's unit is another, it is kept behind the number; one without a unit is in °C or mm, and says so. */
const other = computed(() => (props.unit && props.kept && props.unit !== props.kept ? ` ${props.unit}` : ''))
const bare = (v: string) => /^[-+−]?[\d.,]+$/.test(v.trim())
const shownUnit = ref(props.unit)
watch(
  [() => props.unit, () => props.kept],
  () => {
    const v = String(model.value ?? '')
    shownUnit.value = other.value && bare(v) ? props.kept : props.unit
  },
  { immediate: true },
)
const text = computed({
  get: () => {
    const v = model.value === null || model.value === undefined ? '' : String(model.value)
    if (!other.value) return v
    if (v.endsWith(other.value)) return v.slice(0, -other.value.length)
    return v
  },
  set: (v: string) => {
    if (!v.trim()) shownUnit.value = props.unit
    model.value = other.value && bare(v) && shownUnit.value === props.unit ? v.trim() + other.value : v
  },
})
/* Possible, if unusual: the technician says whether it is right. */
const confirmable = computed(() => ['did_you_mean', 'outlier', 'ask'].includes(props.error?.code ?? ''))
</script>

<template>
  <div class="reading" :class="{ small, bad: error, long: text.length > 5 }">
    <label :for="id" :class="{ 'visually-hidden': cell }">{{ label }}</label>
    <div class="box">
      <input
        :id="id"
        v-model="text"
        data-reading
        :data-prefilled="from ? '' : undefined"
        type="text"
        :inputmode="words ? 'text' : 'decimal'"
        autocomplete="off"
        :aria-invalid="error ? 'true' : undefined"
        :aria-describedby="error ? `${id}-error` : undefined"
        @keydown.enter="onward"
      />
      <span v-if="shownUnit && !(cell && shownUnit === unit)" class="unit">{{ shownUnit }}</span>
    </div>
    <p v-if="from && !error && !cell" class="from">from {{ from }}</p>
    <div v-if="error" :id="`${id}-error`" class="error">
      {{ error.message }}
      <span v-if="error.take != null || confirmable" class="ways">
        <button v-if="error.take != null" type="button" class="soft" @click="emit('accept', error.take)">
          Take {{ error.take }}
        </button>
        <button v-if="confirmable" type="button" class="soft" @click="emit('confirm')">It is right</button>
      </span>
    </div>
  </div>
</template>

<style scoped>
.reading {
  min-width: 0;
}
.box {
  display: flex;
  align-items: center;
  height: 56px;
  background: var(--sheet);
  border: 1px solid var(--ink2);
  border-radius: 2px;
  padding-right: 12px;
}
.box:focus-within {
  border: 2px solid var(--accent);
  background: var(--field);
}
.bad .box {
  border-color: var(--stop);
}
input[type='text'] {
  flex: 1;
  min-width: 0;
  border: 0;
  background: none;
  outline: none;
  font: 29px var(--mono);
  font-variant-numeric: tabular-nums;
  padding: 0 12px;
  height: 100%;
}
.long:not(.small) input[type='text'] {
  font-size: 23px;
}
.unit {
  font-family: var(--mono);
  color: var(--ink2);
}
.small .box {
  height: 44px;
  padding-right: 8px;
}
.small input[type='text'] {
  font-size: 19px;
  padding: 0 8px;
}
.small .unit {
  font-size: 14px;
}
.from {
  font-size: 14px;
  color: var(--ink2);
}
.error {
  font-size: 14px;
  margin-top: 4px;
}
.ways {
  display: flex;
  gap: 8px;
  margin-top: 4px;
}
</style>
