<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { NButton, NProgress } from 'naive-ui'
import { ref } from 'vue'
import { RouterLink, useRoute, useRouter } from 'vue-router'

import { get } from '../api/client'
import { moment } from '../api/words'
import FilePick from '../ui/FilePick.vue'
import FoldedPart from '../ui/FoldedPart.vue'
import WideTable from '../ui/WideTable.vue'
import PieceMaker from './PieceMaker.vue'
import ReadingThrough from './ReadingThrough.vue'
import { send, wentWrong } from './usePrint'

/* Sliced parts: dropped in, looked through, changed by height. */
const router = useRouter()
const route = useRoute()
/* A station asks for a piece. */
const making = ref(Boolean(route.query.piece))
const queries = useQueryClient()
const { data, error } = useQuery({ queryKey: ['prints'], queryFn: () => get('/api/v1/prints') })
const failure = ref('')
const part = ref<number | null>(null)
let stop = new AbortController()
async function take(file: File) {
  failure.value = ''
  part.value = 0
  stop = new AbortController()
  try {
    const id = await send(file, (p) => (part.value = p), stop.signal)
    await queries.invalidateQueries({ queryKey: ['prints'] })
    await router.push(`/prints/${id}`)
  } catch (e) {
    failure.value = wentWrong(e)
  } finally {
    part.value = null
  }
}
const size = (bytes: number) =>
  bytes < 1e6 ? `${(bytes / 1e3).toFixed(0)} kB` : `${(bytes / 1e6).toFixed(1)} MB`
</script>

<template>
  <section class="page">
    <h1>Prints</h1>
    <p class="quiet">
      Your own sliced part is the best test piece there is: see what takes its time, and change a setting by
      height.
    </p>
    <FilePick
      v-if="part === null"
      class="drop"
      label="Drop a sliced part (G-code) here, or press to choose one"
      accept=".gcode,.g,.gco,.nc,text/plain"
      @file="take"
    />
    <div v-else class="sending" role="status">
      <template v-if="part < 1">
        <p>Taking it in …</p>
        <NProgress type="line" :percentage="Math.round(part * 100)" />
      </template>
      <ReadingThrough v-else :print="null" label="Reading it through …" />
      <NButton @click="stop.abort()">Stop</NButton>
    </div>
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    <FoldedPart v-model:open="making" title="Make a test piece"><PieceMaker /></FoldedPart>
    <p v-if="error" class="error">{{ error.message }}</p>
    <WideTable v-else-if="data?.length" label="Sliced parts">
      <thead>
        <tr>
          <th scope="col">Part</th>
          <th scope="col">Made by</th>
          <th scope="col" class="num">Size</th>
          <th scope="col">Kept</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="p in data" :key="p.id">
          <td>
            <RouterLink :to="`/prints/${p.id}`">{{ p.name }}</RouterLink>
          </td>
          <td>
            {{
              p.change ? `${p.change.bands.length} bands, ${p.change.kind.replaceAll('_', ' ')}` : 'as sliced'
            }}
          </td>
          <td class="num mono">{{ size(p.bytes) }}</td>
          <td>{{ moment(p.kept_at) }}</td>
        </tr>
      </tbody>
    </WideTable>
    <p v-else-if="data" class="quiet">Nothing here yet.</p>
  </section>
</template>

<style scoped>
.drop {
  margin: 12px 0 18px;
}
.sending {
  display: grid;
  gap: 8px;
  max-width: 460px;
}
</style>
