import { createSharedComposable, useEventSource } from '@vueuse/core'
import { computed, shallowReadonly, type Ref } from 'vue'

import type { Schemas } from '../api/client'

export type LivePrinter = Schemas['LivePrinter']

/** All connected printers, as the server shows them; one stream for the whole page. */
export const useLive = createSharedComposable(() => {
  const { data, status } = useEventSource('/api/v1/live', ['printers'] as const, {
    autoReconnect: { delay: 1000 },
  })
  const printers = computed<LivePrinter[]>(() =>
    data.value ? (JSON.parse(data.value) as LivePrinter[]) : [],
  )
  /** The stream broke off: what is hot now can't be known from this page. */
  const gone = computed(() => status.value === 'CLOSED' && data.value !== null)
  return { printers, gone: shallowReadonly(gone) }
})

/** One printer of them. */
export function useLivePrinter(id: Readonly<Ref<number | undefined>>) {
  const { printers, gone } = useLive()
  const printer = computed(() => printers.value.find((p) => p.printer_id === id.value))
  const connected = computed(() => printer.value?.status.state === 'connected' && !gone.value)
  const running = computed(() => {
    const r = printer.value?.routine
    return r && !r.done ? r : null
  })
  return { printer, connected, running }
}
