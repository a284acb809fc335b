/** "24 Nov 2026, 14:03" in the reader's zone. */
export function moment(at: string): string {
  return new Date(at).toLocaleString('en-GB', {
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
