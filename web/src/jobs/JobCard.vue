<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import { endWord, hours } from '../api/words'
import WrongLink from '../wrong/WrongLink.vue'
import TravellerCard from '../ui/TravellerCard.vue'

/* The route card of a job: whose it is, its stations, what is left. */
const props = defineProps<{ page: Schemas['JobPage']; active: string }>()
const emit = defineEmits<{ deed: [] }>()
const end = computed(() => props.page.job.ended)
</script>

<template>
  <div class="head">
    <strong>{{ page.printer.name }}</strong> <span class="quiet">job {{ page.job.id }}</span>
    <p class="quiet">{{ page.job.complaint || 'no complaint' }}</p>
    <p v-for="f in page.traveller.false_fixes" :key="f.part" class="quiet">
      Not explained by the new {{ f.label }}: {{ f.says }}.
    </p>
    <p v-for="c in page.changed" :key="c.what" class="state">
      {{ c.lasts === 'loan' ? 'To give back' : 'Altered' }}: {{ c.says }}
    </p>
    <p v-if="page.traveller.paused" class="state">Paused: {{ page.traveller.paused }}</p>
    <p v-if="page.traveller.ended" class="state">
      {{ endWord[page.traveller.ended.how] }}: {{ page.traveller.ended.reason }}
    </p>
  </div>
  <TravellerCard :card="page.traveller" :job="page.job.id" :active="active" />
  <div class="foot">
    <p v-if="page.traveller.now">
      Left: {{ hours(page.traveller.at_least.hands_min) }} of hands{{
        hours(page.traveller.at_most.hands_min) === hours(page.traveller.at_least.hands_min)
          ? ''
          : ` at least, ${hours(page.traveller.at_most.hands_min)} at most`
      }}
    </p>
    <p v-else>{{ end ? endWord[end] : 'Nothing is left.' }}.</p>
    <NButton aria-haspopup="dialog" @click="emit('deed')">Something happened …</NButton>
    <WrongLink v-if="!page.job.ended" :job="page.job.id" :printer="page.printer.id" :stop="active" />
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
.state {
  border-left: 4px solid var(--caution);
  padding-left: 8px;
}
.foot {
  display: flex;
  flex-direction: column;
  gap: 8px;
  margin-top: auto;
  border-top: 1px solid var(--rule);
}
</style>
