<script setup lang="ts">
import { NButton } from 'naive-ui'
import type { LivePrinter } from './useLive'

/* What is known of a printer's heat in words: what must be acted on, or what is so. */
defineProps<{ printer: LivePrinter; gone: boolean; failed?: string; urgent?: boolean; plain?: boolean }>()
defineEmits<{ off: [] }>()
</script>

<template>
  <div class="lines">
    <template v-if="urgent">
      <p v-if="failed" class="alarm" role="alert">{{ failed }}</p>
      <p v-if="printer.alarm" class="alarm" role="alert">
        {{ printer.alarm }}
        <NButton type="error" strong ghost class="off" @click="$emit('off')">Set heaters to 0</NButton>
      </p>
      <p v-if="printer.left_over" class="alarm" role="alert">{{ printer.left_over }}</p>
    </template>
    <template v-if="plain && !gone">
      <p v-if="printer.routine && !printer.routine.done" class="doing">
        {{ printer.routine.progress.says }}.
      </p>
      <!-- What must be done after an emergency stop is read whole. -->
      <p
        :class="printer.stop ? 'alarm' : printer.status.state === 'halted' ? '' : 'says'"
        :title="printer.says"
      >
        {{ printer.says }}
      </p>
      <p v-if="printer.silent_s != null" class="alarm">Last report {{ printer.silent_s }} s ago.</p>
    </template>
  </div>
</template>

<style scoped>
.lines {
  font-size: 14px;
  line-height: 1.25;
  min-width: 0;
}
.says {
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 3;
  line-clamp: 3;
  overflow: hidden;
}
.alarm {
  color: var(--stop);
  font-weight: 700;
}
.doing::first-letter {
  text-transform: uppercase;
}
.off {
  margin-left: 6px;
}
</style>
