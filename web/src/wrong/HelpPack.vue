<script setup lang="ts">
import { NCheckbox } from 'naive-ui'
import { ref } from 'vue'

import type { CasePage } from './useCase'

/* All of a case in one file, to write to somebody with; names only if that is wanted. */
defineProps<{ page: CasePage }>()
const names = ref(false)
</script>

<template>
  <div class="pack">
    <a
      class="soft"
      :href="`/api/v1/cases/${page.case.id}/help-pack?names=${names}`"
      :download="`case-${page.case.id}.zip`"
    >
      Help pack (zip)
    </a>
    <NCheckbox v-model:checked="names" class="names">with names of customer and technician</NCheckbox>
  </div>
</template>

<style scoped>
.pack {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  align-items: center;
}
.names {
  min-height: 44px;
  align-items: center;
}
</style>
