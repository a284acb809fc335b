<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { NButton, NModal } from 'naive-ui'
import { computed, ref, watch } from 'vue'

import { ServerError, answer, client, get, type Schemas } from '../api/client'
import ChoiceRow from '../ui/ChoiceRow.vue'
import ReadingField from '../ui/ReadingField.vue'
import PickList from '../ui/PickList.vue'

const shown = defineModel<boolean>('shown', { required: true })
const props = defineProps<{ printer: number; name: string }>()
const kind = ref<'serial' | 'tcp'>('serial')
const port = ref('')
const typedPort = ref('')
const baud = ref('115200')
const host = ref('')
const failure = ref('')
const busy = ref(false)
const { data: found, refetch } = useQuery({
  queryKey: ['ports'],
  queryFn: () => get('/api/v1/ports'),
  enabled: shown,
})
watch(found, (f) => {
  port.value ||= f?.ports[0]?.name ?? 'other'
})
watch(shown, (on) => {
  if (!on) return
  failure.value = ''
})

async function connect() {
  failure.value = ''
  busy.value = true
  const address: Schemas['Address'] =
    kind.value === 'tcp'
      ? { kind: 'tcp', host: host.value.trim() }
      : {
          kind: 'serial',
          port: port.value === 'other' ? typedPort.value.trim() : port.value,
          baud: Number(baud.value),
        }
  try {
    const got = await answer(
      client.POST('/api/v1/printers/{id}/link', {
        params: { path: { id: props.printer } },
        body: { address, report_every_s: 1 },
      }),
    )
    if (got.status.state === 'connected') shown.value = false
    else failure.value = got.status.says
  } catch (e) {
    if (e instanceof ServerError) failure.value = e.problem.detail
  } finally {
    busy.value = false
  }
}
const ports = computed(() => [
  ...(found.value?.ports ?? []).map((p) => ({ value: p.name, label: `${p.name}: ${p.hint}` })),
  { value: 'other', label: 'another port: type its name' },
])
const speeds = computed(() =>
  (found.value?.bauds ?? [115200]).map((b) => ({ value: String(b), label: `${b} baud` })),
)
</script>

<template>
  <NModal v-model:show="shown">
    <div class="sheet connect" role="dialog" aria-modal="true" aria-labelledby="connect-title">
      <h1 id="connect-title">Connect {{ name }}</h1>
      <ChoiceRow
        v-model="kind"
        name="way"
        label="How is it reached?"
        :options="[
          { value: 'serial', label: 'by a cable' },
          { value: 'tcp', label: 'over the network' },
        ]"
      />
      <template v-if="kind === 'serial'">
        <div>
          <div class="with">
            <PickList id="port" v-model="port" class="grow" label="Port" :options="ports" />
            <NButton @click="refetch()">Look again</NButton>
          </div>
          <p v-if="found && found.ports.length === 0" class="quiet">
            No serial port was found. Plug the cable in, switch the printer on, and look again.
          </p>
        </div>
        <ReadingField
          v-if="port === 'other'"
          v-model="typedPort"
          path="port-name"
          label="Name of the port"
          words
          small
        />
        <PickList id="baud" v-model="baud" label="Speed" :options="speeds" />
      </template>
      <ReadingField
        v-else
        v-model="host"
        path="host"
        label="Host and port, for example 192.168.1.20:4871"
        words
        small
      />
      <p class="warn" role="note">
        <strong>Warning.</strong> Once connected, heaters can be switched on from here. Stay with the printer,
        hands off the hot end, and know where its switch is.
      </p>
      <p v-if="failure" class="error" role="alert">{{ failure }}</p>
      <div class="ways">
        <!-- Loading, not shut: the keyboard's place stays on it. -->
        <NButton type="primary" :loading="busy" @click="connect">
          {{ busy ? 'Connecting …' : 'Connect' }}
        </NButton>
        <NButton @click="shown = false">Not now</NButton>
      </div>
    </div>
  </NModal>
</template>

<style scoped>
.connect {
  width: 560px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.with {
  display: flex;
  gap: 8px;
}
.warn {
  border-left: 5px solid var(--stop);
  background: var(--stopWash);
  padding: 8px 12px;
  font-size: 15px;
}
.warn strong {
  color: var(--stop);
}
</style>
