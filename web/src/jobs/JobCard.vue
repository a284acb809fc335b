<script setup lang="ts">
import type { Schemas } from '../api/client'
import { hours } from '../api/words'
import TravellerCard from '../ui/TravellerCard.vue'

/* The route card of a job: whose it is, its stations, what is left. */
defineProps<{ page: Schemas['JobPage']; active: string }>()
</script>

<template>
  <div class="head">
    <strong>{{ page.printer.name }}</strong> <span class="quiet">job {{ page.job.id }}</span>
    <p class="quiet">{{ page.job.complaint || 'no complaint' }}</p>
  </div>
  <TravellerCard :card="page.traveller" :job="page.job.id" :active="active" />
  <div class="foot">
    <p v-if="page.traveller.now">
      Left: {{ hours(page.traveller.at_least.hands_min) }} of hands at least,
      {{ hours(page.traveller.at_most.hands_min) }} at most
    </p>
    <p v-else>Handed over.</p>
    <RouterLink :to="`/jobs/${page.job.id}/report`">Report</RouterLink>
  </div>
</template>

<style scoped>
.head,
.foot {
  padding: 14px 16px;
  font-size: 15px;
}
.head strong {
  font-size: 18px;
}
.head {
  border-bottom: 1px solid var(--rule);
}
.foot {
  margin-top: auto;
  border-top: 1px solid var(--rule);
}
</style>
