<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { ref, watch } from 'vue'

import { answer, client, type Schemas } from '../api/client'
import { useAttempt } from '../ui/attempt'
import TextLine from '../ui/TextLine.vue'

/* What a printer's axes can do: read from it, or typed. */
const props = defineProps<{ printer: number; connected: boolean }>()
const queries = useQueryClient()
const { failure, busy, attempt } = useAttempt()
const path = { params: { path: { id: props.printer } } }
const { data } = useQuery({
  queryKey: ['pace', props.printer],
  queryFn: () => answer(client.GET('/api/v1/printers/{id}/pace', path)),
})
const blank = {
  accel: '',
  travel_accel: '',
  speed: '',
  speed_z: '',
  junction: '',
  look_ahead: '',
  flow_limit: '',
}
const typed = ref({ ...blank })
const text = (n: number | null | undefined) => (n == null ? '' : String(n))
watch(
  data,
  (pace) => {
    if (!pace) return
    const l = pace.limits
    typed.value = {
      accel: text(l.accel_mm_s2),
      travel_accel: text(l.travel_accel_mm_s2),
      speed: text(l.max_speed_mm_s?.x),
      speed_z: text(l.max_speed_mm_s?.z),
      junction: text(l.junction_mm),
      look_ahead: text(l.look_ahead),
      flow_limit: text(l.flow_limit_mm3_s),
    }
  },
  { immediate: true },
)
watch(
  typed,
  () => {
    failure.value = ''
  },
  { deep: true },
)
async function took(call: () => Promise<Schemas['PaceView']>) {
  const pace = await attempt(call)
  if (!pace) return
  queries.setQueryData(['pace', props.printer], pace)
  await queries.invalidateQueries({ queryKey: ['print'] })
}
const keep = () =>
  took(() => answer(client.PUT('/api/v1/printers/{id}/pace', { ...path, body: typed.value })))
const read = () => took(() => answer(client.POST('/api/v1/printers/{id}/pace/read', path)))
</script>

<template>
  <div class="pace">
    <p v-if="data" class="quiet">
      {{ data.says }} Other limits make other predictions: prints timed before count no more.
    </p>
    <div class="row">
      <TextLine id="pace-accel" v-model="typed.accel" label="Printing, mm/s²" decimal @enter="keep" />
      <TextLine id="pace-travel" v-model="typed.travel_accel" label="Travel, mm/s²" decimal @enter="keep" />
      <TextLine id="pace-speed" v-model="typed.speed" label="X, Y top, mm/s" decimal @enter="keep" />
      <TextLine id="pace-z" v-model="typed.speed_z" label="Z top, mm/s" decimal @enter="keep" />
      <TextLine id="pace-junction" v-model="typed.junction" label="Corner, mm" decimal @enter="keep" />
      <TextLine id="pace-ahead" v-model="typed.look_ahead" label="Sees, moves" decimal @enter="keep" />
      <TextLine id="pace-flow" v-model="typed.flow_limit" label="Limit, mm³/s" decimal @enter="keep" />
    </div>
    <p v-if="failure" class="error" role="alert">{{ failure }}</p>
    <div class="ways">
      <NButton :disabled="busy" @click="keep">Keep these</NButton>
      <NButton v-if="connected" :disabled="busy" @click="read">Read them from the printer</NButton>
    </div>
  </div>
</template>

<style scoped>
.pace {
  display: grid;
  gap: 8px;
}
.row {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 8px;
}
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
</style>
