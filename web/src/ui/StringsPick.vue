<script setup lang="ts">
/* Reference pictures for strings between two towers, 0 (none) to 5 (curtain): drawn by one rule, so
   that two people score alike. */
import { onward } from './onward'

const model = defineModel<string | number | null>()
defineProps<{ error?: string }>()
const words = ['none', 'a hair', 'a few', 'many', 'thick', 'curtain']
const counts = [0, 1, 4, 8, 12, 22]
/* The number of a picture takes it. */
function digit(event: KeyboardEvent) {
  if (!/^[0-5]$/.test(event.key)) return
  model.value = event.key
  const row = event.currentTarget as HTMLElement
  row.querySelector<HTMLElement>(`input[value="${event.key}"]`)?.focus()
}
</script>

<template>
  <fieldset data-answers @keydown.enter="onward" @keydown="digit">
    <legend>Strings: choose the picture that looks most like it</legend>
    <div class="scores">
      <label v-for="(word, i) in words" :key="i" :class="{ on: String(model) === String(i) }">
        <svg viewBox="0 0 70 56" aria-hidden="true">
          <rect x="6" y="4" width="12" height="50" class="metal" />
          <rect x="52" y="4" width="12" height="50" class="metal" />
          <path
            v-for="k in counts[i]"
            :key="k"
            :d="`M18 ${6 + (k * 46) / (Number(counts[i]) + 1)}q17 ${4 + ((k * 7) % 5)} 34 0`"
            class="string"
            :stroke-width="i > 3 ? 1.6 : 0.9"
          />
        </svg>
        <span>
          <input v-model="model" type="radio" name="strings" :value="String(i)" /> {{ i }} {{ word }}
        </span>
      </label>
    </div>
    <p v-if="error" class="error">{{ error }}</p>
  </fieldset>
</template>

<style scoped>
.scores {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(96px, 1fr));
  gap: 8px;
}
label {
  border: 1px solid var(--ink2);
  background: var(--sheet);
  border-radius: 2px;
  padding: 4px 8px;
  margin: 0;
  color: var(--ink);
  cursor: pointer;
}
label.on {
  border: 2px solid var(--ink);
  font-weight: 700;
}
svg {
  height: 48px;
  display: block;
}
.string {
  fill: none;
  stroke: var(--filament);
}
input {
  accent-color: var(--accent);
}
</style>
