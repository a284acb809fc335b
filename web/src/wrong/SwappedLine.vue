<script setup lang="ts">
import type { CasePage } from './useCase'

/* A part was swapped and no job measures what it shook: the way to that job, with the customer’s sentence. */
defineProps<{ page: CasePage }>()
</script>

<template>
  <p v-if="page.swapped_unmeasured">
    A part was swapped, and no job is open for it: what it shook is not measured.
    <RouterLink :to="{ path: `/jobs/new/${page.case.printer_id}`, query: { told: page.case.sentence } }">
      Begin the job for the swapped part
    </RouterLink>
  </p>
</template>
