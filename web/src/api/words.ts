/** "24 Nov 2026, 14:03" in the reader's zone. */
export function moment(at: string): string {
  const when = new Date(at)
  if (Number.isNaN(when.getTime())) return `“${at}” (no date)`
  return when.toLocaleString('en-GB', {
    day: 'numeric',
    month: 'short',
    year: 'numeric',
    hour: '2-digit',
    minute: '2-digit',
  })
}
/** "1 h 20" of minutes. */
export function hours(minutes: number): string {
  const whole = Math.round(minutes)
  const h = Math.floor(whole / 60)
  return h > 0 ? `${h} h ${String(whole % 60).padStart(2, '0')}` : `${whole} min`
}

/** The number typed in a form or shown in a drawing; a comma is a decimal point; null where it is none. */
export function numberOf(typed: unknown): number | null {
  const text = String(typed ?? '')
    .replace(',', '.')
    .trim()
  return /^[-+]?(\d+\.?\d*|\.\d+)$/.test(text) ? Number(text) : null
}

/** Colour class of a verdict; words always stand beside it. */
export const toneOf = { pass: 'pass', adjust: 'caution', measure_again: 'caution', stop: 'stop' } as const

/** Signal words after ANSI Z535.6. */
export const signalWord = {
  notice: 'Notice',
  caution: 'Caution',
  warning: 'Warning',
  danger: 'Danger',
} as const

/** How hot, in a word; colour is never alone. */
export const heatWord = { hot: 'HOT', warm: 'WARM', safe: 'SAFE', unknown: 'UNKNOWN' } as const

/** "4 min" or "35 s" of seconds. */
export function duration(seconds: number): string {
  return seconds >= 90 ? `${Math.round(seconds / 60)} min` : `${Math.round(seconds)} s`
}

/** How a job ended. */
export const endWord = {
  handed_over: 'Handed over',
  unfixed: 'Closed unfixed',
  cancelled: 'Cancelled',
} as const
