import { useQuery } from '@tanstack/vue-query'
import type { Ref } from 'vue'

import { ServerError, answer, client, type Schemas } from '../api/client'
import { hours } from '../api/words'

export type PrintPage = Schemas['PrintPage']
export type Layer = Schemas['PathLayer']
export type Band = Schemas['HeightBand']
export type Drawn = Schemas['DrawnLayer']

/** What binds, each with its hatch: never a colour alone. */
export const BINDS = [
  ['flow_s', 'flow', 'lines'],
  ['acceleration_s', 'acceleration', 'slant'],
  ['corner_s', 'corners', 'dots'],
  ['axis_s', 'an axis', 'cross'],
  ['commanded_s', 'its own speed', 'plain'],
] as const

/** The same for one move. */
export const BOUND = {
  commanded: 'its own speed',
  acceleration: 'acceleration',
  corner: 'a corner',
  axis: 'an axis',
  flow: 'flow',
} as const

/** "45 s", "38 min", "1 h 20" of seconds. */
export const time = (seconds: number) => (seconds < 120 ? `${seconds.toFixed(0)} s` : hours(seconds / 60))

/** What can be set by height, and its unit. */
export const KINDS: { value: Schemas['BandKind']; label: string; unit: string }[] = [
  { value: 'flow', label: 'Flow override', unit: '' },
  { value: 'temperature', label: 'Nozzle temperature, °C', unit: '°C' },
  { value: 'fan', label: 'Part fan, 0 to 1', unit: '' },
  { value: 'pressure_advance', label: 'Pressure advance, s', unit: 's' },
  { value: 'retraction_distance', label: 'Retraction, mm', unit: 'mm' },
  { value: 'retraction_speed', label: 'Retraction speed, mm/s', unit: 'mm/s' },
  { value: 'own_retraction', label: 'The board’s own retraction, mm', unit: 'mm' },
  { value: 'travel_speed', label: 'Travel speed, mm/s', unit: 'mm/s' },
  { value: 'hop', label: 'Hop, mm', unit: 'mm' },
  { value: 'first_layer_flow', label: 'Flow of the first layer', unit: '' },
]
/** Kinds that the profile's own value multiplies. */
export const MULTIPLIES = ['flow', 'first_layer_flow']

/** A sliced part, looked through. */
export const usePrint = (id: Ref<number>, printer: Ref<number | null>) =>
  useQuery<PrintPage>({
    queryKey: ['print', id, 'page', printer],
    // Whoever goes away stops the reading.
    queryFn: ({ signal }) =>
      answer(
        client.GET('/api/v1/prints/{id}', {
          signal,
          params: { path: { id: id.value }, query: { printer_id: printer.value ?? undefined } },
        }),
      ),
    staleTime: Infinity,
    placeholderData: (before: PrintPage | undefined) => (before?.print.id === id.value ? before : undefined),
  })

/** One layer, bead by bead. */
export const useLayer = (id: Ref<number>, printer: Ref<number | null>, line: Ref<number | null>) =>
  useQuery<Drawn>({
    queryKey: ['print', id, 'layer', line, printer],
    enabled: () => line.value !== null,
    queryFn: ({ signal }) =>
      answer(
        client.GET('/api/v1/prints/{id}/layers/{line}', {
          signal,
          params: {
            path: { id: id.value, line: line.value ?? 0 },
            query: { printer_id: printer.value ?? undefined },
          },
        }),
      ),
    staleTime: Infinity,
    placeholderData: (before: Drawn | undefined) => before,
  })

/** Sends a file as it is; tells how much of it is gone, and can be stopped. */
export function send(file: File, progress: (part: number) => void, stop: AbortSignal): Promise<number> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest()
    request.open('POST', `/api/v1/prints?name=${encodeURIComponent(file.name.slice(0, 120))}`)
    request.setRequestHeader('Content-Type', 'application/octet-stream')
    request.responseType = 'json'
    request.upload.onprogress = (e) => {
      progress(e.loaded / Math.max(1, e.total))
    }
    const failed = (detail: string) => {
      reject(new Error(detail))
    }
    request.onload = () => {
      const body = request.response as { id?: number; detail?: string } | null
      if (request.status === 201 && body?.id) resolve(body.id)
      else failed(body?.detail ?? 'The server did not take the file.')
    }
    request.onerror = () => {
      failed('The server does not answer. Start it again, and drop the file once more.')
    }
    request.onabort = () => {
      failed('Stopped: nothing was kept.')
    }
    stop.addEventListener('abort', () => {
      request.abort()
    })
    request.send(file)
  })
}

/** What went wrong, in words. */
export const wentWrong = (e: unknown) =>
  e instanceof ServerError ? e.problem.detail : e instanceof Error ? e.message : String(e)
