import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { get } from '../api/client'

/* The shop's units, for numbers that a drawing or the strip shows as they come, in °C and mm. What a finding
   says is written by the core. Sources: 1 in = 25.4 mm (ISO 80000-3), t/°F = 1.8·t/°C + 32 (ISO 80000-5). */
export function usePen() {
  const { data } = useQuery({ queryKey: ['house'], queryFn: () => get('/api/v1/house') })
  const fahrenheit = computed(() => data.value?.units.temperature === 'fahrenheit')
  const inch = computed(() => data.value?.units.length === 'inch')
  const degree = computed(() => (fahrenheit.value ? '°F' : '°C'))
  const number = (c: number) => (fahrenheit.value ? 1.8 * c + 32 : c)
  return {
    /** "°C" or "°F". */
    degree,
    /** A temperature [°C] as the number the shop reads. */
    temperatureNumber: number,
    /** "392 °F". */
    temperature: (c: number | null | undefined, digits = 0) =>
      `${c == null ? '?' : number(c).toFixed(digits)} ${degree.value}`,
    /** The number of a difference of temperatures [°C]. */
    difference: (c: number | null | undefined, digits = 1) =>
      c == null ? '–' : (fahrenheit.value ? 1.8 * c : c).toFixed(digits),
    /** "0.0157 in". */
    length: (mm: number) => (inch.value ? `${Number((mm / 25.4).toPrecision(3))} in` : `${mm} mm`),
  }
}
