import { createSharedComposable, useEventListener, useIntervalFn, useWebSocket } from '@vueuse/core'
import { computed, ref, shallowReadonly, shallowRef, type Ref } from 'vue'

import { ServerError, answer, client, type Schemas } from '../api/client'

export type LivePrinter = Schemas['LivePrinter']
type Hears = Schemas['PageHears']
type Says = Schemas['PageSays']

/** Without a word for this long, what the page shows says nothing about now [ms]. */
const SILENCE = 3000
/** A stop on the socket is heard within this, or goes out as a request too [ms]. */
const SOCKET_PATIENCE = 700
/** After this a stop could not be handed over [ms]. */
const STOP_PATIENCE = 3000
/** Somebody at the page is told of this often at most [ms]. */
const HERE_EVERY = 20_000

/** All connected printers, as the server shows them; one socket for the whole page. */
export const useLive = createSharedComposable(() => {
  const printers = shallowRef<LivePrinter[]>([])
  /* The newest news of typing at a station. */
  const typed = shallowRef<Extract<Hears, { kind: 'draft' }> | null>(null)
  const heardAt = ref<number | null>(null)
  const now = ref(Date.now())
  useIntervalFn(() => (now.value = Date.now()), 500)
  const waiting = new Map<number, (failed: string | null) => void>()
  let next = 0

  const at = new URL('/api/v1/live', location.href)
  at.protocol = at.protocol === 'https:' ? 'wss:' : 'ws:'
  const { send, status } = useWebSocket<string>(at, {
    autoReconnect: { retries: () => true, delay: 1000 },
    onMessage: (_, event) => {
      heardAt.value = now.value = Date.now()
      const message = JSON.parse(String(event.data)) as Hears
      if (message.kind === 'printers') printers.value = message.printers
      else if (message.kind === 'draft') typed.value = message
      else if (message.kind === 'heard') waiting.get(message.n)?.(message.failed ?? null)
    },
  })
  const say = (message: Says) => status.value === 'OPEN' && send(JSON.stringify(message), false)

  /** Since when the server has said nothing; null while it talks. */
  const silentSince = computed(() =>
    heardAt.value !== null && now.value - heardAt.value > SILENCE ? new Date(heardAt.value) : null,
  )
  const silentFor = computed(() => Math.round((now.value - (heardAt.value ?? now.value)) / 1000))
  /** What is hot now can't be known from this page. */
  const gone = computed(() => silentSince.value !== null)

  /** Stops by the socket that is open already, and by a request where that isn't heard; what went wrong. */
  async function stop(printer: number, kind: 'stop' | 'heaters_off'): Promise<string | null> {
    const n = ++next
    const bySocket = new Promise<string | null>((done) => {
      waiting.set(n, done)
      if (!say({ kind, printer, n })) waiting.delete(n)
    })
    const later = (ms: number) => new Promise<'late'>((done) => setTimeout(() => done('late'), ms))
    try {
      const first = await Promise.race([bySocket, later(waiting.has(n) ? SOCKET_PATIENCE : 0)])
      if (first !== 'late') return first
      const params = { params: { path: { id: printer } }, signal: AbortSignal.timeout(STOP_PATIENCE) }
      const byRequest = answer(
        kind === 'stop'
          ? client.POST('/api/v1/printers/{id}/stop', params)
          : client.POST('/api/v1/printers/{id}/heaters-off', params),
      ).then(
        () => null,
        (e: unknown) =>
          e instanceof ServerError && e.reached ? e.problem.detail : 'The server does not answer.',
      )
      const second = await Promise.race([bySocket, byRequest, later(STOP_PATIENCE)])
      return second === 'late' ? 'The server does not answer.' : second
    } finally {
      waiting.delete(n)
    }
  }

  /* Heat with nobody there goes off; a key or a touch says that somebody is. */
  let toldHere = 0
  const here = () => {
    if (Date.now() - toldHere > HERE_EVERY && say({ kind: 'here' })) toldHere = Date.now()
  }
  useEventListener(document, ['pointerdown', 'keydown', 'wheel'], here, { passive: true })

  return {
    printers: shallowReadonly(printers),
    gone: shallowReadonly(gone),
    silentSince: shallowReadonly(silentSince),
    silentFor: shallowReadonly(silentFor),
    typed: shallowReadonly(typed),
    stop,
  }
})

/** A heater's name where no sentence is around it. */
export const short = (heater: { name: string }) => heater.name.replace(/^the /, '')

/** One printer of them. */
export function useLivePrinter(id: Readonly<Ref<number | undefined>>) {
  const { printers, gone } = useLive()
  const printer = computed(() => printers.value.find((p) => p.printer_id === id.value))
  const connected = computed(() => printer.value?.status.state === 'connected' && !gone.value)
  const running = computed(() => {
    const r = printer.value?.routine
    return r && !r.done ? r : null
  })
  /** The first nozzle and the bed, as last reported [°C]. */
  const nozzleC = computed(() => printer.value?.status.temperatures?.tools[0]?.at_c)
  const bedC = computed(() => printer.value?.status.temperatures?.bed?.at_c)
  return { printer, connected, running, nozzleC, bedC }
}
