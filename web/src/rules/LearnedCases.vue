<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { NCheckbox, useMessage } from 'naive-ui'

import { ServerError, answer, client, get } from '../api/client'
import { moment } from '../api/words'
import WideTable from '../ui/WideTable.vue'

/* Cases whose cause was proven: each moves the weights of the search, and can be left out. */
const queries = useQueryClient()
const message = useMessage()
const { data } = useQuery({ queryKey: ['cases'], queryFn: () => get('/api/v1/cases') })
async function count(id: number, counts: boolean) {
  try {
    await answer(client.PUT('/api/v1/cases/{id}/counts', { params: { path: { id } }, body: { counts } }))
    message.info(counts ? `Case ${id} counts.` : `Case ${id} is left out.`)
  } catch (e) {
    if (e instanceof ServerError) message.error(e.problem.detail)
  }
  await queries.invalidateQueries({ queryKey: ['cases'] })
}
</script>

<template>
  <h2 id="learned" class="part">What this shop’s cases taught</h2>
  <p class="quiet">
    The weights of causes are judgement and count as 20 cases; each proven case here counts as one more. Leave
    one out, and it is forgotten.
  </p>
  <p v-if="data && data.proven.length === 0" class="quiet">No case is proven yet.</p>
  <WideTable v-else-if="data" label="Proven cases">
    <thead>
      <tr>
        <th scope="col">Case</th>
        <th scope="col">The cause</th>
        <th scope="col">Proven</th>
        <th scope="col">Counts</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="c in data.proven" :key="c.id">
        <td>
          <RouterLink :to="`/wrong/${c.id}`">case {{ c.id }}</RouterLink>
          <span class="quiet said">{{ c.sentence }}</span>
        </td>
        <td>{{ data.causes[c.cause ?? ''] ?? c.cause }}</td>
        <td>{{ c.ended_at ? moment(c.ended_at) : '' }}</td>
        <td>
          <NCheckbox
            :checked="c.counts"
            :aria-label="`Case ${c.id} counts`"
            @update:checked="(on: boolean) => count(c.id, on)"
          />
        </td>
      </tr>
    </tbody>
  </WideTable>
</template>

<style scoped>
.said {
  margin-left: 8px;
}
.part {
  margin-top: 26px;
}
</style>
