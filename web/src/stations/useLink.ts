import { computed } from 'vue'

import { answer, client, type Schemas } from '../api/client'
import { useAttempt } from '../ui/attempt'
import { useLivePrinter } from '../live/useLive'
import type { Station } from './useStation'

/** The connected printer of a station: its state, its settings report, and work on it. */
export function useLink(station: Station) {
  const id = computed(() => station.worktop.value?.printer_id)
  const { printer, connected, running, nozzleC, bedC } = useLivePrinter(id)
  const { failure, busy, attempt } = useAttempt()
  const path = () => ({ id: id.value ?? 0 })
  const report = () =>
    attempt(() => answer(client.GET('/api/v1/printers/{id}/report', { params: { path: path() } })))
  const write = (lines: string[]) =>
    attempt(() =>
      answer(client.POST('/api/v1/printers/{id}/write', { params: { path: path() }, body: { lines } })),
    )
  const run = (
    kind: Schemas['RoutineKind'],
    target_c: number,
    more: Partial<Schemas['RoutineBody']> = {},
    of?: { job: number; stop: string },
  ) =>
    attempt(() =>
      answer(
        client.POST('/api/v1/printers/{id}/routine', {
          params: { path: path() },
          body: {
            kind,
            target_c,
            seconds: 180,
            cycles: 6,
            fan: 0,
            job: of?.job ?? null,
            stop: of?.stop ?? null,
            ...more,
          },
        }),
      ),
    )
  return { id, printer, connected, running, nozzleC, bedC, failure, busy, report, write, run }
}
