/** What Enter stops at: readings that nobody filled in for the technician, steps, questions, lists with nothing chosen. */
const STOPS = '[data-reading]:not([data-prefilled]), [data-step], [data-answers], [data-pick]'
/** In a dialog lines of words are asked for too; at a station they are notes. */
const ASKED = `${STOPS}, [data-line]`

/** What sends what a dialog asks. */
export const SENDS = '[data-close], button.n-button--primary-type'

/** The dialog that a key is meant for. One that is just closing keeps the focus for a moment: the key is the page's. */
export function dialogOf(event: Event): HTMLElement | null {
  const dialog = (event.target as HTMLElement).closest<HTMLElement>('[role=dialog]')
  return dialog?.closest('[class*=leave-active]') ? null : dialog
}

/** What takes the focus at a stop; none at a question that is answered already. */
export function hold(stop: HTMLElement): HTMLElement | null {
  if (stop.matches('[data-pick], [data-line]')) return stop.querySelector('input')
  if (!stop.matches('[data-answers]')) return stop
  return stop.querySelector(':checked') ? null : stop.querySelector<HTMLElement>('input')
}

/** Enter goes on: to the next reading, question or picture below, and at the end to the button that closes. */
export function onward(event: KeyboardEvent) {
  if (event.ctrlKey || event.metaKey || event.altKey) return
  const here = event.target as HTMLElement
  // What is one line and its button is sent by the browser itself.
  if (here.closest('form')) return
  event.preventDefault()
  const dialog = here.closest('[role=dialog]')
  const within = dialog ?? document
  for (const stop of within.querySelectorAll<HTMLElement>(dialog ? ASKED : STOPS)) {
    const below = here.compareDocumentPosition(stop) & Node.DOCUMENT_POSITION_FOLLOWING
    if (!below || stop.offsetParent === null) continue
    const next = hold(stop)
    if (next) {
      next.focus()
      return
    }
  }
  within.querySelector<HTMLElement>(dialog ? SENDS : '[data-close]')?.focus()
}

/** Which of some answers a key means: the only one that begins with it, or whose number it is. */
export function meant(key: string, labels: readonly string[]): number {
  const all = labels.flatMap((label, i) => (label.toLowerCase().startsWith(key.toLowerCase()) ? [i] : []))
  return key.length === 1 && all.length === 1 ? (all[0] ?? -1) : -1
}
