<script setup lang="ts">
import { NButton } from 'naive-ui'

import FoldedPart from '../ui/FoldedPart.vue'
import type { CasePage } from './useCase'

/* The ladders for what is likely: from mild to invasive, each rung with what it did. */
defineProps<{ page: CasePage }>()
const emit = defineEmits<{ take: [action: string] }>()
const word = { helped: 'it helped', no_help: 'no help', came_back: 'it came back' }
</script>

<template>
  <FoldedPart v-for="l in page.ladders" :key="l.id" :title="l.title">
    <p class="caution" role="note"><strong>Caution.</strong> {{ l.caution }}</p>
    <ol>
      <li v-for="r in l.rungs" :key="r.id">
        <span>
          {{ r.does }}
          <span class="quiet">{{ r.minutes }} min{{ r.can_break ? ', can break a part' : '' }}</span>
        </span>
        <strong v-if="r.outcome">{{ word[r.outcome] }}</strong>
        <NButton v-else size="small" :aria-label="`Do this rung: ${r.does}`" @click="emit('take', r.id)"
          >Do it</NButton
        >
      </li>
    </ol>
    <p><strong>After each:</strong> {{ l.test }}</p>
  </FoldedPart>
</template>

<style scoped>
ol {
  margin: 6px 0;
  padding-left: 22px;
}
li {
  padding: 3px 0;
}
li > * {
  vertical-align: middle;
  margin-right: 12px;
}
.caution {
  border-left: 4px solid var(--caution);
  padding-left: 10px;
}
</style>
